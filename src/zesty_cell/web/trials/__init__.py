"""Fair tests: asked, planned, flown, judged."""
