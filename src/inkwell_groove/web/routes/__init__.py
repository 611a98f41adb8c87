"""A module for each part of the API; each route is its input, one call, its output."""
