"""From the circuit document to what can be solved: the complete check, the compiled network."""
