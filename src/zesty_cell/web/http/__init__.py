"""What every page needs of a request: its database session, its form, its guard, its templates."""
