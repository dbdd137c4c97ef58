"""The field page and the log."""
