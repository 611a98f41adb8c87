"""The whole collection at once: dockets' tracks and files that others made, found, shown and heard side by side."""
