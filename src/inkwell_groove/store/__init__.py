"""What is kept: rows in MariaDB, recordings and packages on disk. No audio arithmetic.

`settings` says where, `models` what, `migrations` how it came to be so, `database` opens sessions, `media` keeps files.
"""
