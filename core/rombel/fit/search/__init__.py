"""Whole-node answers: construction, ruin and recreate steered by prices, changes of nodes that stand, and the compiled code beneath."""
