"""The lines of a bill: quantity times price times hours, exact, each with where its price is from."""

from __future__ import annotations

import re
from calendar import monthrange
from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal
from fractions import Fraction

from rombel.errors import refuse
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, counted
from rombel.model.quantity import HOURS_PER_MONTH

HOUR = "hour"
MONTH = Fraction(HOURS_PER_MONTH)
"""Hours of a month that is planned; one of the calendar has 672 to 744."""
NODE = "node"
"""The kind of a charge that is a node's own price."""


@dataclass(frozen=True, slots=True)
class Charge:
    """A line of a bill.

    Parameters
    ----------
    kind
        ``node``, or the name of what is paid beside it, such as ``licence`` or ``gateway``.
    what, zone
        What it is for: an instance type, a tier; empty where it is for none.
    purchase
        How it is paid for; empty for what is no node.
    quantity, unit, price, times
        The amount is quantity times price times ``times``: hours where the unit is one, else months.
    source
        Where the price is from.
    payers
        The workloads that it is for alone, and in which proportion; empty: see ``shared_out``.

    """

    kind: str
    what: str
    purchase: str
    zone: str
    quantity: int | Fraction
    unit: str
    price: Decimal
    times: Fraction
    source: str = ""
    payers: tuple[tuple[str, int | Fraction], ...] = ()

    @property
    def amount(self) -> Fraction:
        """Return the amount, exact."""
        return self.quantity * Fraction(self.price) * self.times

    @property
    def offer(self) -> tuple[str, str, str]:
        """Return what names the offer whose nodes it is for."""
        return self.what, self.purchase, self.zone


@dataclass(frozen=True, slots=True)
class Bill:
    """Every charge of a period."""

    currency: str
    hours: Fraction
    charges: tuple[Charge, ...]

    @property
    def total(self) -> Fraction:
        """Return the sum, exact."""
        return sum((charge.amount for charge in self.charges), Fraction(0))


def bill_of(
    problem: FitProblem,
    solution: FitSolution,
    *,
    hours: Fraction = MONTH,
    source: str = "",
    others: Sequence[Charge] = (),
) -> Bill:
    """Return the bill of the nodes of a solution and of the zones they use.

    Parameters
    ----------
    problem, solution
        The nodes and their prices; what a price holds beside the node's own (``Offer.beside``) is a charge of its own.
    hours
        Length of the period; a month has 730.
    source
        Where the nodes' prices are from.
    others
        What is paid beside the nodes, for its own hours.

    """
    counts, charges = counted(solution.nodes), []
    for entry in problem.instance_types:
        for offer in entry.offers:
            count = counts[entry.key(offer)]
            if not count:
                continue
            # The price that was minimised holds all that a node brings along; a bill shows each apart.
            own = offer.price_per_hour - sum((price for _, price in offer.beside), Decimal(0))
            for kind, price in ((NODE, own), *offer.beside):
                charges.append(
                    Charge(kind, entry.name, str(offer.purchase), offer.zone, count, HOUR, price, hours, source)
                )
    used = {batch.zone for batch in solution.nodes}
    zones = [
        Charge(name, "", "", zone, 1, HOUR, price, hours, source)
        for zone, own in problem.zone_charges.items()
        # A zone is charged for once anything stands in it, and not by the node.
        if zone in used
        for name, price in own
    ]
    return Bill(problem.currency, hours, (*charges, *zones, *others))


def bill_rows(bill: Bill, amounts: Iterable[Decimal]) -> list[list[object]]:
    """Return a bill as rows of plain values, with the amounts to which its lines were rounded."""
    return [
        [
            c.kind,
            c.what,
            c.purchase,
            c.zone,
            c.quantity if isinstance(c.quantity, int) else float(c.quantity),
            c.unit,
            format(c.price, "f"),
            float(c.times),
            amount,
            bill.currency,
            c.source,
        ]
        for c, amount in zip(bill.charges, amounts, strict=True)
    ]


def month_of(text: str) -> tuple[int, int] | None:
    """Return year and month of a text such as ``2028-02``; None: it is none."""
    found = re.fullmatch(r"([1-9]\d{3})-(0[1-9]|1[0-2])", text)
    return (int(found[1]), int(found[2])) if found else None


def hours_of_month(year: int, month: int) -> Fraction:
    """Return the hours of a calendar month: 672 to 744."""
    return Fraction(24 * monthrange(year, month)[1])


def hours_until(start: datetime, end: datetime) -> Fraction:
    """Return the hours between two times, to the second.

    Raises
    ------
    InputRefused
        When the end is not after the start.

    """
    if end <= start:
        fix = "State an end after the start."
        raise refuse("ledger.period", "until", f"{end.isoformat()} is not after {start.isoformat()}.", fix)
    # Providers bill by the second; parts of one would make the same bill differ from one look to the next.
    return Fraction(round((end - start).total_seconds()), 3600)
