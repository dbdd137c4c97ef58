"""Choosing a pack: candidates, comparison, search, what a gram or a volt more buys."""
