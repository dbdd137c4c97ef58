"""What the log teaches: scales of sensors, line loss, the next timer."""
