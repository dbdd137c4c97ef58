"""What the core found, in words: in the units and the voltage form of who looks."""
