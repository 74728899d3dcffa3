"""Costs above the ceiling, or above what one lead signs off alone."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("targets.cost", When.START, "targets")
def dear(at: Situation) -> Found:
    """Stop above the ceiling: where even the floor is, no search helps; a note above the amount from which two leads sign."""
    money = at.money
    if money is None:
        return
    cost, floor, ceiling, currency = money.cost, money.floor, money.ceiling, money.currency
    if ceiling is not None and floor > ceiling:
        words = f"no plan that keeps these promises stays under the ceiling of {ceiling:,.0f} {currency}"
        yield Grade.STOP, f"{words}: the floor with fees is {floor:,.0f}", "Promise less, or raise the ceiling."
    elif ceiling is not None and cost > ceiling:
        text = f"{cost:,.0f} {currency} a month with fees, the ceiling is {ceiling:,.0f}"
        yield Grade.STOP, text, "Fit again for longer, promise less, or raise the ceiling."
    if money.sign_off_above is not None and cost > money.sign_off_above:
        text = f"{cost:,.0f} {currency} a month with fees: above {money.sign_off_above:,.0f} two leads sign it off"
        yield Grade.NOTE, text, "Ask both early."
