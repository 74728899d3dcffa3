"""Ranges of today that overlap, with each other or with what is in use."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("addresses.overlap", When.START, "addresses")
def overlapping(at: Situation) -> Found:
    """Stop: two networks with the same addresses cannot be joined, and packets go to one of them."""
    for fault in at.today.faults if at.today else ():
        if fault.code == "addresses.overlap":
            yield Grade.STOP, fault.reason.rstrip("."), fault.fix
