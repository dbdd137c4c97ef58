"""What happens: a sheet made ready, one flight in detail, many flights at once."""
