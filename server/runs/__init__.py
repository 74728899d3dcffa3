"""Fits computed in the background."""
