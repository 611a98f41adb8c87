"""Compact discs: drives, readings, what they are worth together, and the take that is made of them."""
