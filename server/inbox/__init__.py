"""What people are told inside Rombel; nothing is sent outside."""
