"""One mutation a file."""
