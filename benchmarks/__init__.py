"""What `make bench` runs: each figure says what is inside the measured region."""
