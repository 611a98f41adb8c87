"""What was sealed, and what becomes of it: profiles, sealing of one and of many, fixity over the years."""
