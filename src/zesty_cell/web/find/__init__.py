"""Finding things by their names."""
