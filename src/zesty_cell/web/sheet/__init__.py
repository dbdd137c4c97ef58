"""The sheet page, the list of sheets, the setup card."""
