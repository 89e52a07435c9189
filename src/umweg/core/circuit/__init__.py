"""The circuit document: what a machine's hydraulics are, as data."""
