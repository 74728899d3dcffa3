"""People, their roles, and the trail of what they changed."""
