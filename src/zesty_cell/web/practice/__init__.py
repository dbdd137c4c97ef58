"""Practice: the drills, one as it is flown, one as it was."""
