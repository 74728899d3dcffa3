"""Settings, addresses and logs."""
