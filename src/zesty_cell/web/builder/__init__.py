"""A pack built of cells, shown as it grows."""
