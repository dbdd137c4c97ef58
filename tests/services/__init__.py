"""What stands between pages and store."""
