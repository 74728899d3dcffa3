"""What providers sell."""
