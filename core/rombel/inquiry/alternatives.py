"""Where every instance type stands at the prices of the fit: chosen, dearer by how much, or never needed."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from math import log

from rombel.fit import OfferValue, offer_values, undominated
from rombel.model.fit_problem import FitProblem, InstanceType, Purchase
from rombel.model.fit_solution import FitSolution

AS_GOOD = 0.001
"""A type less than this share dearer than the chosen ones is as good as they are."""


class AlternativeStatus(StrEnum):
    """Why a type is in the fit, or is not."""

    CHOSEN = "chosen"
    AS_GOOD = "as good"
    DEARER = "dearer"
    NEVER = "never needed"
    USELESS = "carries nothing"


@dataclass(frozen=True, slots=True)
class Alternative:
    """One (instance type, purchase) pair, at its best zone.

    Parameters
    ----------
    nodes
        Nodes of it in the fit.
    price_per_hour, enters_at_per_hour
        What a node costs, and what its best load is worth at the fit's prices: only a price below that can
        make a cheaper answer. Rounded down.
    dearer
        By which share the price is above that worth.
    beside
        The chosen type with the most similar mix of resources, or for one never needed the type that has as much for
        no more; empty: none.

    """

    instance_type: str
    purchase: Purchase
    zone: str
    status: AlternativeStatus
    nodes: int
    price_per_hour: Decimal
    enters_at_per_hour: Decimal
    dearer: float
    beside: str


@dataclass(frozen=True, slots=True)
class Alternatives:
    """Every type's standing, the chosen first, then the nearest; and what one unit of a resource costs in each zone.

    ``unit_prices``: by zone and resource, what one unit more to request costs an hour at the margin, in money.
    """

    types: tuple[Alternative, ...]
    unit_prices: Mapping[str, Mapping[str, float]]


def alternatives(problem: FitProblem, solution: FitSolution) -> Alternatives:
    """Return where every type of the problem stands beside the fit's.

    Parameters
    ----------
    problem
        With all types on offer, those that no cheapest answer needs too.
    solution
        A feasible fit of it.

    """
    narrow = undominated(problem)
    found = offer_values(narrow, problem)
    # By pool: a type may be chosen on demand and still be too dear to be committed to.
    nodes: Counter[tuple[str, Purchase]] = Counter()
    for batch in solution.nodes:
        nodes[batch.instance_type, batch.purchase] += batch.count
    types = {entry.name: entry for entry in problem.instance_types}
    chosen = [types[name] for name, _ in nodes]
    kept = {entry.name: entry for entry in narrow.instance_types}
    rows = []
    for (name, purchase), values in _by_pool(found.offers).items():
        # The zone where a node earns most for its price, since there it would enter first.
        best = max(values, key=lambda entry: (entry.node_value / max(float(entry.price_per_hour), 1e-12), entry.zone))
        # Only where it was left out: a type that was kept has its own prices.
        covering = None if name in kept or nodes[name, purchase] else _covering(types[name], purchase, kept)
        rows.append(_row(best, nodes[name, purchase], covering, _most_similar(problem, types[name], chosen)))
    rows.sort(key=lambda row: (list(AlternativeStatus).index(row.status), row.dearer, row.instance_type, row.purchase))
    return Alternatives(tuple(rows), found.unit_prices)


def _by_pool(values: tuple[OfferValue, ...]) -> dict[tuple[str, Purchase], list[OfferValue]]:
    pools: dict[tuple[str, Purchase], list[OfferValue]] = {}
    for entry in values:
        pools.setdefault((entry.instance_type, entry.purchase), []).append(entry)
    return pools


def _row(best: OfferValue, nodes: int, covering: InstanceType | None, similar: str) -> Alternative:
    # How much its price must fall, as a share, before the relaxation would buy it.
    dearer = float(best.price_per_hour) / best.node_value - 1 if best.node_value > 0 else float("inf")
    if nodes:
        status = AlternativeStatus.CHOSEN
    elif best.node_value <= 0:
        status = AlternativeStatus.USELESS
    elif covering is not None:
        status = AlternativeStatus.NEVER
    else:
        status = AlternativeStatus.AS_GOOD if dearer <= AS_GOOD else AlternativeStatus.DEARER
    return Alternative(
        instance_type=best.instance_type,
        purchase=best.purchase,
        zone=best.zone,
        status=status,
        nodes=nodes,
        price_per_hour=best.price_per_hour,
        # Rounded down: the price at which it enters must not be promised too high.
        enters_at_per_hour=Decimal(int(best.node_value * 10_000)) / 10_000,
        dearer=max(0.0, dearer) if best.node_value > 0 else 0.0,
        beside=covering.name if covering is not None else similar if not nodes else "",
    )


def _covering(entry: InstanceType, purchase: Purchase, kept: Mapping[str, InstanceType]) -> InstanceType | None:
    """Return the cheapest kept type that has at least as much and costs no more in every zone it is needed in."""
    own = {offer.zone: offer.price_per_hour for offer in entry.offers if offer.purchase is purchase}

    def covers(other: InstanceType) -> bool:
        price = {offer.zone: offer.price_per_hour for offer in other.offers if offer.purchase is purchase}
        enough = all(have >= need for have, need in zip(other.allocatable, entry.allocatable, strict=True))
        return enough and all(zone in price and price[zone] <= amount for zone, amount in own.items())

    return min((other for other in kept.values() if covers(other)), key=_cheapest_offer, default=None)


def _cheapest_offer(entry: InstanceType) -> tuple[Decimal, str]:
    return min(offer.price_per_hour for offer in entry.offers), entry.name


def _most_similar(problem: FitProblem, entry: InstanceType, chosen: list[InstanceType]) -> str:
    """Return the chosen type whose first two resources stand in the most similar ratio."""
    own = _mix(problem, entry)
    return min(((abs(_mix(problem, other) - own), other.name) for other in chosen), default=(0.0, ""))[1]


def _mix(problem: FitProblem, entry: InstanceType) -> float:
    first, second = (max(1, amount) for amount in problem.usable(entry)[:2]) if len(problem.resources) > 1 else (1, 1)
    return log(second / first)
