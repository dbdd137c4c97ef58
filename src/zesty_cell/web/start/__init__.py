"""The first minute: three answers, and one that grows beside them."""
