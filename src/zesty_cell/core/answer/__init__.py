"""What a flight means: what to set, what to check, what cannot be meant; the forecast."""
