"""What the transmitter says: thresholds, holds and timers from the forecast."""
