"""What flights taught a sheet."""
