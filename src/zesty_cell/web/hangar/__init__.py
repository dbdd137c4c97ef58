"""Crafts, packs and cells: lists and forms."""
