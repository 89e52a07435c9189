"""Benchmarks: figures for the notes, not tests."""
