"""Mutations of intakes."""
