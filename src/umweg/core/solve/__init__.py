"""Steady states of whole batches of candidate machines."""
