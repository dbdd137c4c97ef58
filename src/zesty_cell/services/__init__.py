"""Store and core joined, without HTTP: one place for each question between pages and data."""
