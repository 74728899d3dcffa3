"""Ranges of today that lie outside the parent."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("addresses.outside", When.START, "addresses")
def outside(at: Situation) -> Found:
    """Stop: a network carries no subnet that lies outside it."""
    for fault in at.today.faults if at.today else ():
        if fault.code == "addresses.outside":
            yield Grade.STOP, fault.reason.rstrip("."), fault.fix
