"""What may be off with craft, pack, transmitter or day: signs and readings to causes, and the next check."""
