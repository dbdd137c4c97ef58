"""What is off: signs, causes, the next check, and what it was."""
