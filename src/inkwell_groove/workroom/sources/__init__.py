"""Finding the release: looking up, choosing a pressing, and reconciling what the sources say with what is here."""
