"""Service owners ask for capacity; planners take it into a study or answer with a reason."""
