"""A month of actual charges beside the month that is planned."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

from accounts.action import Missing
from rombel.ledger import Account, Bill, Compared, compare_with_actual, cost_rows, hours_of_month, month_of
from rombel.model.cost_data import ActualCharge
from runs.bills import billed, source_of
from runs.models import ActualMonth
from runs.queries import latest_plan
from studies.models import Variant


@dataclass(frozen=True, slots=True)
class ActualTold:
    """A month that was billed beside the newest plan, billed for the hours of that month."""

    row: ActualMonth
    bill: Bill
    compared: Sequence[Compared]


def stored(charges: Sequence[ActualCharge]) -> list[list[Any]]:
    """Return charges as they are kept: item, purchase, zone, unit, quantity, cost."""
    return [
        [c.item, c.purchase, c.zone, c.unit, None if c.quantity is None else str(c.quantity), str(c.cost)]
        for c in charges
    ]


def told_actual(variant: Variant, month: str) -> ActualTold:
    """Return what was planned and what was billed in a month.

    Raises
    ------
    Missing
        When there is no plan, or no charges of that month were taken.

    """
    row = variant.actual_months.filter(month=month).first()
    if row is None:
        raise Missing(f"No charges of {month[:20]} were taken.")
    bill = _planned(variant, month)
    start = datetime(int(month[:4]), int(month[5:]), 1, tzinfo=UTC)
    charges = [
        ActualCharge(
            item, purchase, zone, start, start, None if quantity is None else Decimal(quantity), unit, Decimal(cost)
        )
        for item, purchase, zone, unit, quantity, cost in row.charges
    ]
    return ActualTold(row, bill, compare_with_actual(bill, charges))


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
