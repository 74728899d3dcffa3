"""Ranges of today that do not carry the nodes that may run."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("addresses.ceiling", When.RUNNING, "addresses")
def ceiling(at: Situation) -> Found:
    """Care: nodes that find no address, or no block for their pods, do not join, on the busiest day of all."""
    for change in at.today.changes if at.today else ():
        fix = f"Widen {change.was} to {change.range}." if change.was else f"Add {change.range}."
        yield Grade.CARE, f"the range of {change.name} is too small, {change.because}", fix
    for want in at.today.missing if at.today else ():
        yield (
            Grade.STOP,
            f"the range of {want.name} is too small, and the parent has no room for more",
            "Name another parent.",
        )
