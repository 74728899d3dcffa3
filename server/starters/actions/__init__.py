"""What changes starters, and what makes studies of them."""
