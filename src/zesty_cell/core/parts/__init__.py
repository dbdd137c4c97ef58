"""What there is: air, cells, packs, crafts, and how each figure of them is known."""
