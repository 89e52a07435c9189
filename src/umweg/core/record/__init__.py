"""A job's record as pure data: what its entries come to."""
