"""Sweeps of a study: many fits for one question, and what they say together."""
