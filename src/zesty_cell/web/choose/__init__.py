"""Choosing a pack: comparison, search, what buys minutes, crafts for a pack."""
