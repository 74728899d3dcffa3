"""Mutations of what people are told."""
