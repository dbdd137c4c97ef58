"""What is asked: a way of flying, a landing rule, the sheet, what is tried on it, what its flights taught."""
