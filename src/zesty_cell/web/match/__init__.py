"""Motors and propellers matched before they are bought."""
