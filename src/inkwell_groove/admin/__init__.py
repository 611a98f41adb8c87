"""What is done to an installation as a whole: back it up, restore it, check its settings."""
