"""Thrust runs on the bench."""
