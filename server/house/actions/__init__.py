"""What may be done to house rules."""
