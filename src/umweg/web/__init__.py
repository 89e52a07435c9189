"""The web API: thin routers over the database and the core."""
