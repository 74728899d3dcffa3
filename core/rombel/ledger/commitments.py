"""What to commit to: of the hours' distribution the level that costs least, what it saves, when it has paid, and what it risks.

On demand each node in use is paid for by the hour; what is committed is paid for every hour at a share of that price, used or not. With ``D``
nodes in use in an hour, committing to ``Q`` costs ``c Q + p max(0, D - Q)`` an hour, convex in ``Q``, and least at the smallest ``Q`` with
``P(D > Q) <= c / p``: the critical fractile (Arrow, Harris, Marschak 1951, "Optimal inventory policy", Econometrica 19, from memory). It is an
amount that was in use and never one between two: every hour is of one of them.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from math import ceil

from rombel.errors import refuse
from rombel.ledger.bill import MONTH
from rombel.model.price_list import ListedTerm

LESS = Fraction(3, 4)
"""The risk that is told: what is left of the demand when a quarter of it is gone."""


@dataclass(frozen=True, slots=True)
class InUse:
    """How much was in use, and for how many hours of a month: nodes, or what they cost an hour on demand."""

    amount: Fraction
    hours: Fraction


@dataclass(frozen=True, slots=True)
class Level:
    """A level that may be committed to: what a month then costs, with what is above it on demand, and how much of it is used (0 to 1)."""

    amount: Fraction
    cost: Fraction
    used: Fraction


@dataclass(frozen=True, slots=True)
class Worth:
    """What committing to a level is worth over its whole term.

    Parameters
    ----------
    saves_per_month
        Beside on demand alone, in a month of 730 hours; negative: it costs more.
    after_fall_per_month
        The same when a quarter of the demand is gone.
    paid_at_once
        At the start of the term.
    net_present_value
        Of what it saves over the term.
    break_even_month
        The first month after which it has paid for itself, even if it were never used again; None: not within the term.

    """

    saves_per_month: Fraction
    after_fall_per_month: Fraction
    paid_at_once: Fraction
    net_present_value: Fraction
    break_even_month: int | None


def in_a_month(uses: Sequence[InUse]) -> list[InUse]:
    """Return uses for a month of 730 hours, amounts that are equal together, the largest first.

    Raises
    ------
    InputRefused
        When there are no hours.

    """
    hours: dict[Fraction, Fraction] = {}
    for use in uses:
        hours[use.amount] = hours.get(use.amount, Fraction(0)) + use.hours
    whole = sum(hours.values(), Fraction(0))
    if whole <= 0:
        raise refuse("ledger.hours", "hours", "There are no hours of use.", "State how long each amount was in use.")
    return [InUse(amount, hours[amount] * MONTH / whole) for amount in sorted(hours, reverse=True) if hours[amount]]


def best_levels(uses: Sequence[InUse], share: Fraction) -> tuple[Fraction, Fraction]:
    """Return the lowest and the highest amount that cost least when committed to; they differ where there is a tie.

    Parameters
    ----------
    uses
        See ``InUse``; in any order.
    share
        The price committed as a share of that on demand, above 0 to 1.

    """
    month = in_a_month(uses)
    best, above = Fraction(0), MONTH
    for use in reversed(month):
        if above <= share * MONTH:
            break
        best, above = use.amount, above - use.hours
    # Where just so many hours are above it, one more committed costs as much as it saves.
    tied = [use.amount for use in month if use.amount > best] if above == share * MONTH else []
    return best, min(tied, default=best)


def level_at(amount: Fraction, uses: Sequence[InUse], price: Fraction, share: Fraction) -> Level:
    """Return what a month costs when an amount is committed to at a share of the price, the rest on demand."""
    month = in_a_month(uses)
    used = sum((min(use.amount, amount) * use.hours for use in month), Fraction(0))
    beyond = sum((max(Fraction(0), use.amount - amount) * use.hours for use in month), Fraction(0))
    whole = amount * MONTH
    return Level(amount, price * (share * whole + beyond), used / whole if whole else Fraction(0))


def worth_of(
    amount: Fraction, uses: Sequence[InUse], price: Fraction, *, term: ListedTerm, yearly_rate: Fraction = Fraction(0)
) -> Worth:
    """Return what a commitment is worth; every month is like this one, and is paid at its end.

    Parameters
    ----------
    amount
        That is committed to.
    uses, price
        In a month, and what one costs an hour on demand.
    term
        Months, the share of the price, and how much of it all is paid at once.
    yearly_rate
        Money a year later is worth less by this (0.08: 8 %); a month's is its twelfth root.

    """
    share = Fraction(term.price_share)
    owed = share * price * amount * MONTH * term.months
    at_once = owed * Fraction(term.upfront_share)
    monthly = (owed - at_once) / term.months
    replaced = price * level_at(amount, uses, price, share).used * amount * MONTH
    fallen = [InUse(use.amount * LESS, use.hours) for use in uses]
    less = price * level_at(amount, fallen, price, share).used * amount * MONTH
    discounts = [_discount(yearly_rate, month) for month in range(1, term.months + 1)]
    cost_now = at_once + monthly * sum(discounts, Fraction(0))
    return Worth(
        saves_per_month=replaced - owed / term.months,
        after_fall_per_month=less - owed / term.months,
        paid_at_once=at_once,
        net_present_value=replaced * sum(discounts, Fraction(0)) - cost_now,
        break_even_month=_break_even(replaced, cost_now, discounts),
    )


def _discount(yearly_rate: Fraction, month: int) -> Fraction:
    # A root is no fraction; twelve digits of it are far more than cents need.
    return (
        Fraction(1) if not yearly_rate else Fraction(float(1 + yearly_rate) ** (-month / 12)).limit_denominator(10**12)
    )


def _break_even(replaced: Fraction, cost: Fraction, discounts: Sequence[Fraction]) -> int | None:
    """Return the month in which what was replaced so far is worth what the whole term costs."""
    saved = Fraction(0)
    for month, discount in enumerate(discounts, start=1):
        saved += replaced * discount
        if saved >= cost > 0:
            return month
    return None


def whole_nodes(amounts: Sequence[float], hours_each: Fraction) -> list[InUse]:
    """Return mean nodes of equally long samples as uses; a node that ran for part of a sample counts for all of it."""
    return [InUse(Fraction(ceil(round(amount, 6))), hours_each) for amount in amounts]
