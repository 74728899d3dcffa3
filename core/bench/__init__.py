"""Benchmarks: ratios in one run, on instances from a seeded generator."""
