"""Choices outside the house rules."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("house.deviation", When.START, "targets")
def deviating(at: Situation) -> Found:
    """Stop where the rule is closed, care where it is open and a reason was said."""
    for entry in at.deviations:
        text = f"{entry.rule.replace('_', ' ')}: {entry.chosen}, the house rule is {entry.asked}"
        fix = "A reason is kept with it." if entry.allowed else "Follow the rule, or let a lead open it."
        yield Grade.CARE if entry.allowed else Grade.STOP, text, fix
