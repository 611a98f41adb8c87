"""Install, start, stop and test the application.

Only the standard library is used, because the Python environment does not exist yet.
"""
