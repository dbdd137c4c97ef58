"""The callouts: rules as sentences, the ladder, the dry run, the score."""
