"""Beyond this machine."""
