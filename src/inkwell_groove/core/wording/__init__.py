"""Wording rules: how a text in a field is put right, the same way for one field and for ten thousand."""
