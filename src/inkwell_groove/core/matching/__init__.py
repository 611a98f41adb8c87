"""Which release a carrier is: numbers, names and texts compared as forgivingly as people write them."""
