"""Discharge runs: the drawer, curves over one another, a pack's own curve."""
