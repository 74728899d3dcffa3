"""The organisation's house rules."""
