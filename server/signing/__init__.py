"""Signing plans off."""
