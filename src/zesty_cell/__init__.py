"""Zesty Cell: pack choice, flight time and transmitter callouts for hobby pilots."""

__version__ = "0.1.0"
