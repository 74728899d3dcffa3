"""Disruption budgets under which no node can be drained."""

from __future__ import annotations

from rombel.model.demand import Level
from rombel.model.levels import levels_of
from rombel.preflight.rule import Found, Grade, Mend, When, rule, some
from rombel.preflight.situation import Situation


@rule("demand.budget", When.UPGRADE, "demand")
def undrainable(at: Situation) -> Found:
    """Care: an upgrade waits for ever at the first node that carries such a replica."""
    stuck = [
        row.full_name
        for row in at.rows
        if row.budget and not row.budget.allowed(max(levels_of(row, at.growth_percent)[Level.USUAL].replicas, 1))
    ]
    if stuck:
        cells = {key: {"min_available": "", "max_unavailable": "1"} for key in stuck}
        text = f"the disruption budget lets no node be drained: {some(stuck)}"
        yield Grade.CARE, text, "Allow one replica to be away.", Mend("Allow one replica to be away", cells)
