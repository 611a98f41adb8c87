"""People, labels and works as authorities: one heading each, to which variants point."""
