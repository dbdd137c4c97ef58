"""The JSON API."""
