"""What the log says of a pack."""
