"""What people do with builds and with what stands."""
