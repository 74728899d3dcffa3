"""Step 13. What the prices of the relaxation say of every offer: the worth of a node's best load, and of a unit of room."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from rombel.fit.bounds.aggregation import relax
from rombel.fit.bounds.divisible import Divisible
from rombel.fit.bounds.linking import build_linking
from rombel.fit.bounds.simplex import MANY, divisible_loads
from rombel.fit.problem.building import build_instance, most_alone
from rombel.fit.problem.instance import Floats, Instance
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Purchase, Workload


@dataclass(frozen=True, slots=True)
class OfferValue:
    """An offer with its price an hour, and what the best divisible load of a node of it is worth an hour."""

    instance_type: str
    purchase: Purchase
    zone: str
    price_per_hour: Decimal
    node_value: float


@dataclass(frozen=True, slots=True)
class OfferValues:
    """What a node of every offer is worth, and by zone and resource the price of one more unit to request an hour."""

    offers: tuple[OfferValue, ...]
    unit_prices: Mapping[str, Mapping[str, float]]


def offer_values(narrow: FitProblem, wide: FitProblem) -> OfferValues:
    """Return what every offer of ``wide`` would earn at the prices of ``narrow``, which has the same demand.

    At the optimum of the relaxation no offer earns more than it costs, and those it buys earn what they cost. Where the
    relaxation is infeasible nothing is returned.
    """
    instance = build_instance(narrow, keep=None)
    found = relax(build_linking(instance))
    if not found.feasible:
        return OfferValues((), {})
    offers = [(entry, offer) for entry in wide.instance_types for offer in entry.offers if min(wide.usable(entry)) >= 0]
    earned = np.zeros(len(offers))
    # In every scenario the node stands in it earns; the sum is what it may cost.
    for scenario in range(len(found.replica_price)):
        earned += _earned(instance, found.replica_price[scenario], wide, offers) * instance.money_per_cost
    values = tuple(
        OfferValue(entry.name, offer.purchase, offer.zone, offer.price_per_hour, float(amount))
        for (entry, offer), amount in zip(offers, earned, strict=True)
    )
    return OfferValues(values, _unit_prices(instance, found))


def _earned(
    instance: Instance, replica_price: Floats, wide: FitProblem, offers: list[tuple[InstanceType, Offer]]
) -> Floats:
    """Return (O,) what a node of each offer earns in one scenario, whose (J, I) prices of replicas are given."""
    zones = {name: number for number, name in enumerate(wide.zones)}
    by_zone = np.zeros((len(zones), replica_price.shape[1]))
    for zone in range(len(zones)):
        # All offers of a zone pay alike, and so one that was left out as dominated can be valued too.
        by_zone[zone] = replica_price[instance.zone == zone].max(axis=0, initial=0.0)
    values = by_zone[[zones[offer.zone] for _, offer in offers]]
    limits = np.array([[_most(wide, w, entry, offer) for w in instance.workloads] for entry, offer in offers], np.int64)
    capacity = np.array([wide.usable(entry) for entry, _ in offers], np.int64) // instance.grain
    _, _, pay = divisible_loads(values, limits.reshape(values.shape), instance.request, capacity)
    return np.asarray(pay)


def _most(problem: FitProblem, workload: Workload, entry: InstanceType, offer: Offer) -> int:
    """Return the most replicas on a node as far as a rule limits them; 0: it may not run, or one has no room."""
    alone = most_alone(problem.usable(entry), workload) if problem.may_run(workload, entry, offer) else 0
    return alone if alone == 0 or workload.most_per_node is not None else MANY


def _unit_prices(instance: Instance, found: Divisible) -> dict[str, dict[str, float]]:
    """Return the least that a unit costs on the offers that the relaxation buys in each zone."""
    room_price = found.room_price.sum(axis=0) * instance.money_per_cost / instance.grain
    prices: dict[str, dict[str, float]] = {}
    for number, zone in enumerate(instance.problem.zones):
        bought = (instance.zone == number) & (found.nodes > 1e-6)
        if bought.any():
            # The least over what is bought: on other offers the price of room says nothing.
            least = room_price[bought].min(axis=0)
            prices[zone] = dict(zip(instance.resources, least.tolist(), strict=True))
    return prices
