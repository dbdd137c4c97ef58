"""Hostile days, bounded: requests, files, kills and crowds that the application has to outlive."""
