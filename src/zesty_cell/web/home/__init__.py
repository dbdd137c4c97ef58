"""Where the front door leads, and what a person likes to see."""
