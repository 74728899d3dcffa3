"""Price lists and rates that are not the newest."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("supply.age", When.START, "supply")
def old(at: Situation) -> Found:
    """Note: what is newer is there to be compared and taken."""
    if at.newer_list:
        yield Grade.NOTE, at.newer_list, "Compare and take it under Supply, Price lists."
    if at.newer_rates:
        yield Grade.NOTE, at.newer_rates, "Take them under Supply, Price lists."
