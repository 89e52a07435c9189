"""From a typed list of parts and joins to a working model: the list, and what follows from it."""
