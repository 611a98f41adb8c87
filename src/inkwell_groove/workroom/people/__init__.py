"""Who may come in: accounts, signing in, tokens for scripts, and the access log that tells of it.

Where the server listens on loopback alone nobody signs in, and everybody is the one archivist of the settings.
"""
