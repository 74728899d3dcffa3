"""Why one bill is not another: price, amount of demand, promises and choices, one after the other, so that their sum is the difference.

1. *Price*: the plan before, paid at the prices after, wherever the same thing is still sold.
2. *Demand*: what the workloads' own share then costs more when as much more is requested as is, at the same cost for each unit.
3. *Promises*: what room and replicas that are there for losses cost more or less.
4. *Choices*: the rest, which is what was chosen otherwise: types, zones, kinds of purchase, what stays idle, what is counted beside nodes.

The order matters, as it does in every such chain; it is the order in which people ask.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction
from typing import Protocol

from rombel.ledger.bill import NODE, Bill, Charge, bill_of
from rombel.ledger.sharing import HEADROOM_ROOM, KEPT, STANDING, UNASSIGNED, rounded, shared_out
from rombel.model.compilation import asked_for
from rombel.model.fit_problem import FitProblem, Offer
from rombel.model.fit_solution import FitSolution

ChargeKey = tuple[str, str, str, str]
"""Kind, what, purchase, zone."""
PROMISES = (KEPT, STANDING, HEADROOM_ROOM)


@dataclass(frozen=True, slots=True)
class Billed:
    """A plan with its bill."""

    bill: Bill
    problem: FitProblem
    solution: FitSolution


@dataclass(frozen=True, slots=True)
class Bridge:
    """What leads from one bill to another; the four parts sum to the difference of their totals, exactly."""

    before: Fraction
    after: Fraction
    price: Fraction
    demand: Fraction
    promises: Fraction
    choices: Fraction
    lines: tuple[tuple[str, Fraction, Fraction], ...]


def bridge(before: Billed, after: Billed) -> Bridge:
    """Return what leads from one bill to another of the same length and currency.

    ``lines``: by what is bought, the amounts before and after, those that differ most first.
    """
    moved = replace(before, bill=_at_prices(before.bill, _prices(after)))
    parts_before, parts_after = (shared_out(each.bill, each.problem, each.solution) for each in (moved, after))
    own = sum((amount for payer, amount in parts_before.items() if payer not in UNASSIGNED), Fraction(0))
    price = moved.bill.total - before.bill.total
    demand = own * (_growth(before.problem, after.problem) - 1)
    promises = sum(
        (parts_after.get(name, Fraction(0)) - parts_before.get(name, Fraction(0)) for name in PROMISES), Fraction(0)
    )
    whole = after.bill.total - before.bill.total
    return Bridge(
        before.bill.total,
        after.bill.total,
        price,
        demand,
        promises,
        whole - price - demand - promises,
        tuple(_lines(before.bill, after.bill)),
    )


PARTS = ("price", "demand", "promises", "choices")
"""What leads from one bill to another, in the order in which it is asked."""


def in_cents(found: Bridge) -> dict[str, Decimal]:
    """Return both totals and the four parts to the cent, so that the parts sum to the difference of the totals."""
    before, after = rounded({0: found.before})[0], rounded({0: found.after})[0]
    parts = rounded({name: getattr(found, name) for name in PARTS})
    # Totals are rounded by themselves, so that a cent may be left over; choices are what is left.
    parts["choices"] = after - before - parts["price"] - parts["demand"] - parts["promises"]
    return {"before": before, "after": after, **parts}


class Sold(Protocol):
    """An instance type as a list sells it."""

    @property
    def name(self) -> str:
        """Return its name."""

    @property
    def offers(self) -> Sequence[Offer]:
        """Return what it costs, by zone and purchase."""


def at_list(
    plan: Billed,
    sold: Iterable[Sold],
    zone_charges: Mapping[str, Sequence[tuple[str, Decimal]]],
    others: Sequence[Charge],
    source: str = "",
) -> tuple[Billed, list[str]]:
    """Return the same plan at the prices of another list, and the instance types of its nodes that this list does not offer there.

    Parameters
    ----------
    plan
        What was bought.
    sold, zone_charges
        What the list sells, and what it asks for a zone that is used; what it does not sell keeps its price.
    others, source
        What is paid there beside nodes and zones, and where the prices are from.

    """
    prices = {(entry.name, offer.purchase, offer.zone): offer for entry in sold for offer in entry.offers}
    problem = plan.problem

    def priced(name: str, own: Offer) -> Offer:
        found = prices.get((name, own.purchase, own.zone))
        return replace(own, price_per_hour=found.price_per_hour, beside=found.beside) if found else own

    types = tuple(
        replace(entry, offers=tuple(priced(entry.name, own) for own in entry.offers))
        for entry in problem.instance_types
    )
    problem = replace(
        problem, instance_types=types, zone_charges={zone: tuple(own) for zone, own in zone_charges.items()}
    )
    bill = bill_of(problem, plan.solution, hours=plan.bill.hours, source=source, others=others)
    lacking = {batch.instance_type for batch in plan.solution.nodes if batch.offer not in prices}
    return Billed(bill, problem, plan.solution), sorted(lacking)


def _key(charge: Charge) -> ChargeKey:
    return charge.kind, charge.what, charge.purchase, charge.zone


def _prices(plan: Billed) -> dict[ChargeKey, Decimal]:
    """Return what everything costs that a plan bought or could have bought."""
    found: dict[ChargeKey, Decimal] = {}
    for entry in plan.problem.instance_types:
        for offer in entry.offers:
            place = entry.name, str(offer.purchase), offer.zone
            own = offer.price_per_hour - sum((price for _, price in offer.beside), Decimal(0))
            for kind, price in ((NODE, own), *offer.beside):
                found[kind, *place] = price
    return found | {_key(charge): charge.price for charge in plan.bill.charges}


def _at_prices(bill: Bill, prices: Mapping[ChargeKey, Decimal]) -> Bill:
    """Return a bill at other prices; what has none there keeps its own, so that it is no matter of price."""
    return replace(bill, charges=tuple(replace(c, price=prices.get(_key(c), c.price)) for c in bill.charges))


def _growth(before: FitProblem, after: FitProblem) -> Fraction:
    """Return how many times as much is requested after as before, of the resource of which most was requested."""
    amounts = [_requested(each) for each in (before, after)]
    largest = {
        name: max((e.allocatable[i] for e in before.instance_types), default=0)
        for i, name in enumerate(before.resources)
    }
    shares = {name: Fraction(amounts[0][name], size) for name, size in largest.items() if size and name != "pods"}
    name = max(shares, key=lambda each: (shares[each], each), default="")
    # Without a request before there is nothing that could grow: all that is new is a choice.
    return Fraction(amounts[1].get(name, 0), amounts[0][name]) if name and amounts[0][name] else Fraction(1)


def _requested(problem: FitProblem) -> dict[str, int]:
    return {
        name: sum(w.replicas * w.request[index] for w in asked_for(problem))
        for index, name in enumerate(problem.resources)
    }


def _lines(before: Bill, after: Bill) -> list[tuple[str, Fraction, Fraction]]:
    amounts: defaultdict[str, list[Fraction]] = defaultdict(lambda: [Fraction(0), Fraction(0)])
    for side, bill in enumerate((before, after)):
        for charge in bill.charges:
            words = f"{charge.what} ({charge.purchase})" if charge.kind == NODE else charge.kind
            amounts[words][side] += charge.amount
    found = [(words, pair[0], pair[1]) for words, pair in amounts.items()]
    return sorted(found, key=lambda line: (-abs(line[2] - line[1]), line[0]))
