"""What is stored and cannot be read: shown with its reason, mended, or left out."""
