"""The made-up club: the Saltmarsh flyers."""
