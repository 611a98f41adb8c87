"""Clients of what lies outside: the witness register, and later the catalogues. A trouble of theirs is an answer."""
