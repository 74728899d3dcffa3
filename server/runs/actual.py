"""A month of actual charges beside the month that is planned."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from fractions import Fraction
from typing import Any

from accounts.action import Missing
from rombel.ledger import (
    Account,
    Bill,
    Compared,
    compare_months,
    compare_with_actual,
    cost_rows,
    hours_of_month,
    month_of,
)
from rombel.model.cost_data import ActualCharge
from runs.bills import billed, source_of
from runs.models import ActualMonth
from runs.queries import latest_plan
from studies.models import Variant


@dataclass(frozen=True, slots=True)
class ActualTold:
    """A month that was billed beside the newest plan for the hours of that month, or beside another month (``beside``)."""

    row: ActualMonth
    currency: str
    hours: Fraction
    beside: str
    compared: Sequence[Compared]


def stored(charges: Sequence[ActualCharge]) -> list[list[Any]]:
    """Return charges as they are kept: item, purchase, zone, unit, quantity, cost."""
    return [
        [c.item, c.purchase, c.zone, c.unit, None if c.quantity is None else str(c.quantity), str(c.cost)]
        for c in charges
    ]


def told_actual(variant: Variant, month: str, beside: str = "") -> ActualTold:
    """Return what was billed in a month, beside the plan or beside another month that was billed.

    Raises
    ------
    Missing
        When there is no plan, or no charges of that month were taken.

    """
    row = _taken(variant, month)
    if beside:
        compared = compare_months(_charges(_taken(variant, beside)), _charges(row))
        year_month = month_of(month)
        assert year_month is not None  # Only such months are taken.
        return ActualTold(row, variant.study.currency, hours_of_month(*year_month), beside, compared)
    # The plan for the hours of that very month: months of 28 and 31 days differ by a tenth.
    bill = _planned(variant, month)
    return ActualTold(row, bill.currency, bill.hours, "", compare_with_actual(bill, _charges(row)))


def _taken(variant: Variant, month: str) -> ActualMonth:
    row = variant.actual_months.filter(month=month).first()
    if row is None:
        raise Missing(f"No charges of {month[:20]} were taken.")
    return row


def _charges(row: ActualMonth) -> list[ActualCharge]:
    start = datetime(int(row.month[:4]), int(row.month[5:]), 1, tzinfo=UTC)
    return [
        ActualCharge(
            item, purchase, zone, start, start, None if quantity is None else Decimal(quantity), unit, Decimal(cost)
        )
        for item, purchase, zone, unit, quantity, cost in row.charges
    ]


def planned_rows(variant: Variant, month: str) -> list[Any]:
    """Return the charges of a planned month by day; ``Missing`` without a plan or such a month."""
    found = month_of(month)
    if found is None:
        raise Missing(f"'{month[:20]}' is no month.")
    region = variant.region
    account = Account(variant.study.name, source_of(variant).split(",")[0], region.name if region else "")
    return list(cost_rows(_planned(variant, month), *found, account))


def _planned(variant: Variant, month: str) -> Bill:
    fit, found = latest_plan(variant), month_of(month)
    if fit is None or found is None:
        raise Missing(f"Variant {variant.pk} has no plan, so nothing is planned for a month.")
    return billed(fit, hours_of_month(*found)).bill
