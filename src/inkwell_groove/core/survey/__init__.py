"""What is wrong in a collection of files, and how it is put right: checks, what they find, and what remedies it."""
