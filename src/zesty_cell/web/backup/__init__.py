"""Copies of everything, and bringing one back."""
