"""Files that others made: their tags and pictures in every format, how they are written, and how that is undone."""
