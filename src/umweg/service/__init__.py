"""Running it: the private database, the front end's build, the demo, the tests."""
