"""What may be done to price lists."""
