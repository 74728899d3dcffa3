"""A fitting problem as arrays: classes x offers x resources, ready for the solver.

Prices become whole numbers of the finest decimal in use, so that sums are exact; replicas to place, and
the window of counts each zone may hold, follow from the promise and the spread rule.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Purchase, Survival, Vector, Workload

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class Instance:
    """The problem in arrays. I classes, J offers, R resources, Z zones, P pools.

    Parameters
    ----------
    problem
        Where it came from.
    workloads
        The I classes with at least one replica.
    offers
        The J (instance type, offer) pairs that can run at all.
    price
        (J,) whole numbers; ``price / scale`` is money an hour.
    scale
        Power of ten that makes every price whole.
    capacity
        (J, R) usable amounts of a node.
    request
        (I, R) amounts of a replica.
    zone, pool
        (J,) index of the offer's zone and pool.
    quota
        (J,) most nodes.
    per_node
        (J, I) most replicas of a class on one node of an offer; 0: it may not run there.
    total
        (I,) replicas to place (under ``STANDING`` more than must be left).
    window
        (I, Z, 2) fewest and most replicas in a zone that the search keeps to.
    interruptible
        (J,) whether the offer is interruptible.
    interruptible_most
        (I,) most replicas on interruptible nodes.

    """

    problem: FitProblem
    workloads: tuple[Workload, ...]
    offers: tuple[tuple[InstanceType, Offer], ...]
    price: Ints
    scale: int
    capacity: Ints
    request: Ints
    zone: Ints
    pool: Ints
    quota: Ints
    per_node: Ints
    total: Ints
    window: Ints
    interruptible: NDArray[np.bool_]
    interruptible_most: Ints

    def usable_zones(self, class_index: int) -> list[int]:
        """Return the zones with an offer that this class may run on."""
        return sorted({int(self.zone[offer]) for offer in np.flatnonzero(self.per_node[:, class_index])})

    def promise(self, class_index: int) -> Survival:
        """Return how the class survives the loss of a zone."""
        return self.problem.promise_of(self.workloads[class_index])

    @property
    def lands(self) -> NDArray[np.bool_]:
        """(I,) whether the class's replicas land after a loss."""
        return np.array([self.promise(i) is Survival.LANDING for i in range(len(self.workloads))], np.bool_)

    def money(self, amount: int) -> Decimal:
        """Return a whole-number price as money an hour."""
        return Decimal(amount) / self.scale


def build_instance(problem: FitProblem) -> Instance:
    """Return the arrays of a problem; offers that can run nothing and classes without replicas are left out."""
    workloads = tuple(entry for entry in problem.workloads if entry.replicas > 0)
    offers = tuple(
        (entry, offer)
        for entry in problem.instance_types
        for offer in entry.offers
        if offer.most_nodes != 0 and min(problem.usable(entry)) >= 0
    )
    digits = max((_decimals(offer.price_per_hour) for _, offer in offers), default=0)
    pools: dict[tuple[str, Purchase], int] = {}
    pool = [pools.setdefault((entry.name, offer.purchase), len(pools)) for entry, offer in offers]
    per_node = np.array([[_most(problem, w, e, o) for w in workloads] for e, o in offers], np.int64)
    per_node = per_node.reshape(len(offers), len(workloads))
    zones = {name: number for number, name in enumerate(problem.zones)}
    zone = np.array([zones[offer.zone] for _, offer in offers], np.int64)
    total, window = _counts(problem, workloads, per_node, zone)
    shares = [math.floor(w.interruptible_share * int(total[i]) + 1e-9) for i, w in enumerate(workloads)]
    width = len(problem.resources)
    return Instance(
        problem=problem,
        workloads=workloads,
        offers=offers,
        price=np.array([int(offer.price_per_hour.scaleb(digits)) for _, offer in offers], np.int64),
        scale=10**digits,
        capacity=np.array([problem.usable(e) for e, _ in offers], np.int64).reshape(-1, width),
        request=np.array([w.request for w in workloads], np.int64).reshape(-1, width),
        zone=zone,
        pool=np.array(pool, np.int64),
        quota=np.array([10**9 if o.most_nodes is None else o.most_nodes for _, o in offers], np.int64),
        per_node=per_node,
        total=total,
        window=window,
        interruptible=np.array([o.purchase is Purchase.INTERRUPTIBLE for _, o in offers], np.bool_),
        interruptible_most=np.array(shares, np.int64),
    )


def _decimals(price: Decimal) -> int:
    exponent = price.normalize().as_tuple().exponent
    return max(0, -exponent) if isinstance(exponent, int) else 0


def _most(problem: FitProblem, workload: Workload, instance_type: InstanceType, offer: Offer) -> int:
    """Return the most replicas of one class that a node of this offer takes."""
    if not problem.may_run(workload, instance_type, offer):
        return 0
    return most_alone(problem.usable(instance_type), workload)


def most_alone(usable: Vector, workload: Workload) -> int:
    """Return how many replicas fit on an otherwise empty node, at most ``most_per_node`` and at most 10^6."""
    fitting = [have // asked for have, asked in zip(usable, workload.request, strict=True) if asked]
    most = 10**6 if workload.most_per_node is None else workload.most_per_node
    return max(0, min([most, *fitting]))


def standing_total(replicas: int, zones: int, equal: bool) -> int:
    """Return the fewest replicas of which ``replicas`` are left whichever one of the zones is lost.

    With equal counts ``zones * ceil(replicas / (zones - 1))``; else the least T with ``T - ceil(T / zones) >=
    replicas``. ``zones`` is at least 2.
    """
    if equal:
        return zones * -(-replicas // (zones - 1))
    count = replicas
    while count - -(-count // zones) < replicas:
        count += 1
    return count


def _counts(problem: FitProblem, workloads: tuple[Workload, ...], per_node: Ints, zone: Ints) -> tuple[Ints, Ints]:
    """Return (I,) replicas to place and (I, Z, 2) the window of counts for each zone."""
    total = np.array([w.replicas for w in workloads], np.int64)
    window = np.zeros((len(workloads), len(problem.zones), 2), np.int64)
    for i, workload in enumerate(workloads):
        zones = sorted({int(zone[offer]) for offer in np.flatnonzero(per_node[:, i])})
        if not zones:
            continue
        promise = problem.promise_of(workload)
        if promise is Survival.STANDING and len(zones) > 1:
            total[i] = standing_total(workload.replicas, len(zones), workload.equal_zones)
        low, high = _window(workload, int(total[i]), len(zones), promise)
        window[i, zones, 0], window[i, zones, 1] = low, high
    return total, window


def _window(workload: Workload, total: int, zones: int, promise: Survival) -> tuple[int, int]:
    """Return the fewest and most replicas a zone holds, so that spread and promise follow.

    A skew of k allows any counts in a window of width k around the even share; the search keeps to it.
    """
    low, high = 0, total
    skew = 0 if workload.equal_zones else workload.zone_skew
    if skew is not None:
        low = max(0, total // zones - skew // 2)
        high = low + skew
        if high * zones < total:
            low, high = low + 1, high + 1
    if promise is Survival.STANDING:
        high = min(high, total - workload.replicas)
    if promise is Survival.LANDING:
        high = max(low, min(high, -(-total // zones)))
    return low, high
