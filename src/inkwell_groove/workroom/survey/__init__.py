"""The survey of the collection: when it is made, what it found, and what is done about that."""
