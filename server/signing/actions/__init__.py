"""Mutations of sign-offs."""
