"""Clients of outside sources, against services that are well, ill, slow and lying."""
