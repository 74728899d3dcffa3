"""What was planned, or billed in another month, beside what was billed: the same thing in both, and what only one of them has."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Callable, Hashable, Iterable, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from typing import TypeVar

from rombel.ledger.bill import NODE, Bill, Charge
from rombel.ledger.planned_month import item_of
from rombel.model.cost_data import ActualCharge

K = TypeVar("K", bound=Hashable)
ItemKey = tuple[str, str, str]
"""What was bought, the kind of purchase (empty for what is no node), the zone (empty: none)."""


@dataclass(frozen=True, slots=True)
class Amounts:
    """Money and, where every part states one of the same unit, a quantity."""

    cost: Fraction
    quantity: Fraction | None


@dataclass(frozen=True, slots=True)
class Compared:
    """One thing in a plan and in a month of charges; None: it is in that one not.

    ``by_amount`` and ``by_price`` part the difference: as much more or less at the planned price, and the rest at another price. None where
    a quantity is missing on either side.
    """

    item: str
    purchase: str
    zone: str
    planned: Fraction | None
    billed: Fraction | None
    by_amount: Fraction | None
    by_price: Fraction | None

    @property
    def difference(self) -> Fraction:
        """Return what was billed more than planned."""
        return (self.billed or Fraction(0)) - (self.planned or Fraction(0))


def compare_with_actual(bill: Bill, actual: Iterable[ActualCharge]) -> list[Compared]:
    """Return everything that was planned or billed, what differs most first; the differences sum to that of the totals.

    The bill is for the month of the charges. A zone or a kind of purchase that one side does not state is no difference by itself for
    what the other has only once.
    """
    planned = _planned(bill)
    return _beside(planned, _billed(actual, nodes={c.what for c in bill.charges if c.kind == NODE}, known=planned))


def compare_months(before: Iterable[ActualCharge], after: Iterable[ActualCharge]) -> list[Compared]:
    """Return everything that was billed in either of two months, what differs most first; ``planned`` is the month before.

    The differences sum to that of the totals.
    """
    was, now = (_in_groups(charges, lambda c: (c.item, c.purchase, c.zone)) for charges in (before, after))
    return _beside({key: _of_one_price(own) for key, own in was.items()}, {key: _sum(own) for key, own in now.items()})


def _of_one_price(charges: list[ActualCharge]) -> Amounts:
    """Return the sums; of different prices there is no quantity of one thing that could be more or less in another month."""
    found = _sum(charges)
    prices = [Fraction(charge.cost) / Fraction(charge.quantity) for charge in charges if charge.quantity]
    # Amounts of a day are rounded, so that one price differs a little from day to day.
    alike = not prices or 100 * (max(prices) - min(prices)) <= abs(max(prices))
    return found if alike else Amounts(found.cost, None)


def _beside(planned: Mapping[ItemKey, Amounts], billed: Mapping[ItemKey, Amounts]) -> list[Compared]:
    found = [_compared(key, planned.get(key), billed.get(key)) for key in {**planned, **billed}]
    return sorted(found, key=lambda each: (-abs(each.difference), each.item, each.zone, each.purchase))


def _in_groups(charges: Iterable[ActualCharge], key_of: Callable[[ActualCharge], K]) -> dict[K, list[ActualCharge]]:
    parts: defaultdict[K, list[ActualCharge]] = defaultdict(list)
    for charge in charges:
        parts[key_of(charge)].append(charge)
    return parts


def _planned(bill: Bill) -> dict[ItemKey, Amounts]:
    parts: defaultdict[ItemKey, list[Charge]] = defaultdict(list)
    for charge in bill.charges:
        purchase = charge.purchase if charge.kind == NODE else ""
        parts[item_of(charge), purchase, charge.zone].append(charge)
    return {key: _planned_amounts(own) for key, own in parts.items()}


def _planned_amounts(charges: list[Charge]) -> Amounts:
    """Return the sums; of different prices there is no quantity of one thing that could have been more or less."""
    cost = sum((charge.amount for charge in charges), Fraction(0))
    quantity = sum((charge.quantity * charge.times for charge in charges), Fraction(0))
    return Amounts(cost, quantity if len({charge.price for charge in charges}) == 1 else None)


def _billed(
    actual: Iterable[ActualCharge], *, nodes: set[str], known: Mapping[ItemKey, Amounts]
) -> dict[ItemKey, Amounts]:
    by_item: defaultdict[str, list[ItemKey]] = defaultdict(list)
    for key in known:
        by_item[key[0]].append(key)

    def key_of(charge: ActualCharge) -> ItemKey:
        key = charge.item, charge.purchase if charge.item in nodes else "", charge.zone
        # Files leave out zones of what has none of its own; where the plan has it once, it is that.
        if key not in known and not charge.zone and len(by_item[charge.item]) == 1:
            return by_item[charge.item][0]
        return key

    return {key: _sum(own) for key, own in _in_groups(actual, key_of).items()}


def in_sums(charges: Iterable[ActualCharge]) -> list[ActualCharge]:
    """Return charges with those together that differ in time and line alone, at one price; what is compared with them does not change."""
    parts = _in_groups(charges, lambda c: (c.item, c.purchase, c.zone, c.unit, _unit_price(c)))
    return [
        replace(
            own[0],
            end=max(each.end for each in own),
            quantity=None
            if own[0].quantity is None
            else sum((each.quantity or Decimal(0) for each in own), Decimal(0)),
            cost=sum((each.cost for each in own), Decimal(0)),
            line=0,
        )
        for own in parts.values()
    ]


def _unit_price(charge: ActualCharge) -> str:
    """Return the price of a unit to three digits; in words where there is none."""
    if charge.quantity is None:
        return "no quantity is stated"
    return f"{charge.cost / charge.quantity:.3g}" if charge.quantity else "none was used"


def _sum(charges: list[ActualCharge]) -> Amounts:
    cost = sum((Fraction(charge.cost) for charge in charges), Fraction(0))
    stated = len({charge.unit for charge in charges}) == 1 and all(charge.quantity is not None for charge in charges)
    return Amounts(cost, sum((Fraction(c.quantity or 0) for c in charges), Fraction(0)) if stated else None)


def _compared(key: ItemKey, planned: Amounts | None, billed: Amounts | None) -> Compared:
    by_amount = by_price = None
    if planned and billed and planned.quantity and billed.quantity is not None:
        by_amount = planned.cost / planned.quantity * (billed.quantity - planned.quantity)
        by_price = billed.cost - planned.cost - by_amount
    item, purchase, zone = key
    was = None if planned is None else planned.cost
    return Compared(item, purchase, zone, was, None if billed is None else billed.cost, by_amount, by_price)
