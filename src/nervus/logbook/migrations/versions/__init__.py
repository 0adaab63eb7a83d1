"""One file for each step."""
