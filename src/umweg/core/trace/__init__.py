"""Ways of the oil."""
