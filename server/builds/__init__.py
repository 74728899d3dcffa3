"""Builds: from a plan to a cluster that stands, followed to its end, and what stands against what was planned."""
