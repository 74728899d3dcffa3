"""Answers in the words of the problem and in the figures that a planner reads."""
