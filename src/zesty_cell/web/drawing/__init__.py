"""Geometry of the signature pictures; the templates turn it into SVG."""
