"""The land-now trainer: drills with a hidden truth, flown by the kernel, decided by a pilot, scored."""
