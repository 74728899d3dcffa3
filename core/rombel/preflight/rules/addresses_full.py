"""A parent range without room for what the plan needs."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("addresses.full", When.START, "addresses")
def full(at: Situation) -> Found:
    """Stop: the ranges that are missing cannot be made."""
    for plan in at.plans:
        for fault in plan.faults:
            yield Grade.STOP, fault.reason.rstrip("."), fault.fix
