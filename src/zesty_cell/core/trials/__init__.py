"""Fair tests: how many pairs of runs can answer a question, and what they show when they are flown."""
