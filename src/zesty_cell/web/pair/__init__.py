"""Packs flown together."""
