"""Where the front door leads, what a person likes to see, and finding things."""
