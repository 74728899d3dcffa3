"""Taints that no workload tolerates."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("supply.taint", When.JOINING, "targets")
def untolerated(at: Situation) -> Found:
    """Care: nodes of such a family stay empty."""
    for family, taint in at.taints.items():
        if at.rows and not any(taint.tolerated_by(row.pod.tolerations) for row in at.rows):
            text = f"no workload tolerates the taint of {family}, {taint.key}={taint.value}:{taint.effect}"
            yield Grade.CARE, text, "Type the toleration in a row, or take the taint away."
