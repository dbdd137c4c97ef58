"""Propeller sets of one craft, compared on one pattern."""
