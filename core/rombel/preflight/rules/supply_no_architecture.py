"""Architectures that a workload asks for and nobody sells."""

from __future__ import annotations

from rombel.model.study import ARCHITECTURE_LABEL
from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("supply.no_architecture", When.JOINING, "supply")
def unsold(at: Situation) -> Found:
    """Stop: such replicas wait for a node that never comes."""
    sold = set(at.architectures.values())
    names = [
        row.full_name
        for row in at.rows
        if sold and row.node_labels.get(ARCHITECTURE_LABEL, next(iter(sold))) not in sold
    ]
    if names:
        text = f"no node that is sold has the architecture that they ask for: {some(names)}"
        yield Grade.STOP, text, f"Sold are {', '.join(sorted(sold))}."
