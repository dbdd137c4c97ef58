"""What would make a forecast surer: measurements, and their results typed where they are proposed."""
