"""Sets the house up and runs it, with nothing but Python's standard library: the environment does not exist yet."""
