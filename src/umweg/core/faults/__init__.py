"""Fault modes of a circuit, and the population of candidate machines drawn from them."""
