"""What was measured or listed: usage series, and clusters that run."""
