"""A fitting problem as arrays: classes x offers x resources, ready for the solver.

Prices become whole numbers of the finest decimal in use, so that sums are exact; replicas to place, and
the window of counts each zone may hold, follow from the promise and the spread rule.
"""

from __future__ import annotations

import math
from collections.abc import Collection
from dataclasses import dataclass
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from rombel.model.fit_problem import FitProblem, InstanceType, Offer, OfferKey, Purchase, Survival, Vector, Workload

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
UNLIMITED = 10**9
MOST_ON_A_NODE = 30_000
"""More replicas of a class than this are never put on one node."""


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
    most_on_node
        (J, I) the same as far as rules and room force it; ``per_node`` may be less where the search keeps to less.
    least_total
        (I,) fewest replicas that any answer places.
    bounds
        (I, Z, 2) fewest and most replicas that any answer can have in a zone.
    lands
        (I,) whether the class's replicas land after the loss of a zone.
    apart
        (I, I) classes that may not share a node.
    shared_use, shared_most
        (Q, J) what a node of an offer takes of each quota over several offers, and (Q,) the most.
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
    most_on_node: Ints
    least_total: Ints
    bounds: Ints
    lands: NDArray[np.bool_]
    apart: NDArray[np.bool_]
    shared_use: Ints
    shared_most: Ints

    def free(self, class_index: int) -> bool:
        """Return whether only the sum of the class's replicas counts, and not their zones."""
        zones = self.usable_zones(class_index)
        low, high = self.bounds[class_index, zones].T
        replicas = self.workloads[class_index].replicas
        plain = self.promise(class_index) is not Survival.STANDING and self.least_total[class_index] == replicas
        return bool(plain and (low == 0).all() and (high >= replicas).all())

    def usable_zones(self, class_index: int) -> list[int]:
        """Return the zones with an offer that this class may run on."""
        zones: list[int] = np.unique(self.zone[self.per_node[:, class_index] > 0]).tolist()
        return zones

    def promise(self, class_index: int) -> Survival:
        """Return how the class survives the loss of a zone."""
        return self.problem.promise_of(self.workloads[class_index])

    def whole_floor(self, floor: float) -> int:
        """Return the least cost at or above a floor: a cost is a sum of whole prices, so a multiple of their common divisor."""
        step = math.gcd(*self.price.tolist())
        return math.ceil(floor * (1 - 1e-9) / step - 1e-6) * step

    def money(self, amount: int) -> Decimal:
        """Return a whole-number price as money an hour."""
        return Decimal(amount) / self.scale


def build_instance(
    problem: FitProblem, nodes: float = math.inf, standing: Collection[OfferKey] = frozenset()
) -> Instance:
    """Return the arrays of a problem; offers that can run nothing and classes without replicas are left out.

    ``nodes`` is about how many nodes an answer has: with it the search spreads classes thinly enough to survive the
    loss of nodes standing. The offers of nodes that are ``standing`` stay, whatever they cost.
    """
    workloads = tuple(entry for entry in problem.workloads if entry.replicas > 0)
    offers = _useful_offers(problem, standing)
    digits = max((_decimals(offer.price_per_hour) for _, offer in offers), default=0)
    pools: dict[tuple[str, Purchase], int] = {}
    pool = [pools.setdefault((entry.name, offer.purchase), len(pools)) for entry, offer in offers]
    width = len(problem.resources)
    room = np.array([problem.usable(e) for e, _ in offers], np.int64).reshape(-1, width)
    request = np.array([w.request for w in workloads], np.int64).reshape(-1, width)
    most = _most_on_nodes(problem, workloads, offers, room, request)
    zones = {name: number for number, name in enumerate(problem.zones)}
    zone = np.array([zones[offer.zone] for _, offer in offers], np.int64)
    thin = np.array([_thin(problem, w, nodes) for w in workloads], np.int64)
    counted = _counts(problem, workloads, most, zone, thin)
    shares = [math.floor(w.interruptible_share * int(counted.total[i]) + 1e-9) for i, w in enumerate(workloads)]
    quotas = problem.limits.quotas
    use = [[q.use(problem.resources, e) if q.holds_for(e, o) else 0 for e, o in offers] for q in quotas]
    names = {w.name: i for i, w in enumerate(workloads)}
    apart = np.zeros((len(workloads), len(workloads)), np.bool_)
    for i, workload in enumerate(workloads):
        for other in workload.apart & names.keys():
            apart[i, names[other]] = apart[names[other], i] = True
    return Instance(
        problem=problem,
        workloads=workloads,
        offers=offers,
        price=np.array([int(offer.price_per_hour.scaleb(digits)) for _, offer in offers], np.int64),
        scale=10**digits,
        capacity=room,
        request=request,
        zone=zone,
        pool=np.array(pool, np.int64),
        quota=np.array([UNLIMITED if o.most_nodes is None else o.most_nodes for _, o in offers], np.int64),
        per_node=np.minimum(most, thin),
        total=counted.total,
        window=counted.window,
        interruptible=np.array([o.purchase is Purchase.INTERRUPTIBLE for _, o in offers], np.bool_),
        interruptible_most=np.array(shares, np.int64),
        most_on_node=most,
        least_total=counted.least_total,
        bounds=counted.bounds,
        lands=np.array(
            [problem.promise_of(w) is Survival.LANDING and not w.bound_to_zone for w in workloads], np.bool_
        ),
        apart=apart,
        shared_use=np.array(use, np.int64).reshape(len(quotas), len(offers)),
        shared_most=np.array([q.most for q in quotas], np.int64),
    )


def _useful_offers(problem: FitProblem, standing: Collection[OfferKey]) -> tuple[tuple[InstanceType, Offer], ...]:
    """Return the offers that may be bought; of two in a zone where one has all the other has for no more, that one."""
    offers = [
        (entry, offer)
        for entry in problem.instance_types
        for offer in entry.offers
        if (offer.most_nodes != 0 or entry.key(offer) in standing) and min(problem.usable(entry)) >= 0
    ]
    limits = problem.limits
    if limits.most_pools or limits.equal_zones or limits.quotas:
        return tuple(offers)
    if (limits.fewest_nodes_per_pool or 0) > 1 or (limits.fewest_nodes_per_zone or 0) > 1:
        return tuple(offers)
    welcome = {w.instance_types for w in problem.workloads if w.instance_types is not None}
    kind = {entry.name: tuple(entry.name in names for names in welcome) for entry, _ in offers}
    room = np.array([entry.allocatable for entry, _ in offers], np.int64)
    price = np.array([float(offer.price_per_hour) for _, offer in offers])
    place = {(offer.zone, offer.purchase, kind[entry.name]): n for n, (entry, offer) in enumerate(offers)}
    group = np.array([place[offer.zone, offer.purchase, kind[entry.name]] for entry, offer in offers], np.int64)
    kept = []
    for n, (_, offer) in enumerate(offers):
        better = (group == group[n]) & (price <= price[n]) & (room >= room[n]).all(axis=1)
        same = (price == price[n]) & (room == room[n]).all(axis=1)
        better &= ~same | (np.arange(len(offers)) < n)
        replaced = any(offers[other][1].most_nodes is None for other in np.flatnonzero(better))
        if not replaced or offers[n][0].key(offer) in standing:
            kept.append((offers[n][0], offer))
    return tuple(kept)


def _thin(problem: FitProblem, workload: Workload, nodes: float) -> int:
    """Return the most replicas on one node that the search keeps to, beyond what room and rules force.

    A difference over nodes counts those without a replica, so no node may have more than it. To survive the loss of any k
    nodes standing, k times the fullest must be left over: the thinner, the fewer.
    """
    most = MOST_ON_A_NODE if workload.node_skew is None else workload.node_skew
    loss = problem.node_promise_of(workload)
    if loss.promised and loss.how is Survival.STANDING:
        most = min(most, max(1, math.ceil(workload.replicas / max(nodes - loss.count, 1e-9))))
    return most


def _decimals(price: Decimal) -> int:
    exponent = price.normalize().as_tuple().exponent
    return max(0, -exponent) if isinstance(exponent, int) else 0


def _most_on_nodes(
    problem: FitProblem,
    workloads: tuple[Workload, ...],
    offers: tuple[tuple[InstanceType, Offer], ...],
    room: Ints,
    request: Ints,
) -> Ints:
    """Return (J, I) the most replicas of each class that a node of each offer takes, 0 where it may not run."""
    most = np.zeros((len(offers), len(workloads)), np.int64)
    kind = np.array([entry.name for entry, _ in offers], object)
    zone = np.array([offer.zone for _, offer in offers], object)
    sure = np.array([offer.purchase is not Purchase.INTERRUPTIBLE for _, offer in offers], np.bool_)
    named: dict[frozenset[str], NDArray[np.bool_]] = {}
    for i, workload in enumerate(workloads):
        may = sure | (workload.interruptible_share > 0)
        for names, own in ((workload.instance_types, kind), (workload.zones, zone)):
            if names is not None:
                if names not in named:
                    named[names] = np.array([name in names for name in own], np.bool_)
                may = may & named[names]
        asked = request[i] > 0
        fitting = (np.maximum(room[:, asked], 0) // request[i, asked]).min(axis=1, initial=MOST_ON_A_NODE)
        limit = MOST_ON_A_NODE if workload.most_per_node is None else workload.most_per_node
        most[:, i] = np.where(may, np.minimum(fitting, limit), 0)
    return most


def most_alone(usable: Vector, workload: Workload) -> int:
    """Return how many replicas fit on an empty node, at most ``most_per_node`` and ``MOST_ON_A_NODE``."""
    fitting = [have // asked for have, asked in zip(usable, workload.request, strict=True) if asked]
    most = MOST_ON_A_NODE if workload.most_per_node is None else workload.most_per_node
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


@dataclass(frozen=True, slots=True)
class _Counted:
    """(I,) replicas the search places and (I, Z, 2) its window a zone; the same as bounds for every answer."""

    total: Ints
    window: Ints
    least_total: Ints
    bounds: Ints


def _counts(problem: FitProblem, workloads: tuple[Workload, ...], per_node: Ints, zone: Ints, thin: Ints) -> _Counted:
    """Return how many replicas are placed, in all and by zone."""
    total = np.array([w.replicas for w in workloads], np.int64)
    least = total.copy()
    window = np.zeros((len(workloads), len(problem.zones), 2), np.int64)
    bounds = window.copy()
    for i, workload in enumerate(workloads):
        zones = np.unique(zone[per_node[:, i] > 0]).tolist()
        if not zones:
            continue
        promise = problem.promise_of(workload)
        if promise is Survival.STANDING and len(zones) > 1:
            total[i] = least[i] = standing_total(workload.replicas, len(zones), workload.equal_zones)
        loss = problem.node_promise_of(workload)
        if loss.promised and loss.how is Survival.STANDING:
            total[i] = max(int(total[i]), workload.replicas + loss.count * int(thin[i]))
            least[i] = max(int(least[i]), workload.replicas + loss.count)
            if workload.equal_zones:
                total[i] = -(-int(total[i]) // len(zones)) * len(zones)
        low, high = _window(workload, int(total[i]), len(zones), promise)
        held = np.array([workload.stands.get(problem.zones[z], 0) for z in zones], np.int64)
        window[i, zones, 0], window[i, zones, 1] = np.maximum(low, held), np.maximum(high, held)
        bounds[i, zones, 0] = np.maximum(_least_in_zone(workload, int(least[i]), len(zones)), held)
        exact = promise is not Survival.STANDING and least[i] == workload.replicas
        bounds[i, zones, 1] = _most_in_zone(workload, int(least[i]), len(zones)) if exact else UNLIMITED
    return _Counted(total, window, least, bounds)


def _skew(workload: Workload) -> int | None:
    return 0 if workload.equal_zones else workload.zone_skew


def _least_in_zone(workload: Workload, total: int, zones: int) -> int:
    """Return the fewest replicas in any zone under the spread rule, when at least ``total`` are placed."""
    skew = _skew(workload)
    return 0 if skew is None else max(0, -(-(total - (zones - 1) * skew) // zones))


def _most_in_zone(workload: Workload, total: int, zones: int) -> int:
    """Return the most replicas in any zone under the spread rule, when ``total`` are placed."""
    skew = _skew(workload)
    return total if skew is None else min(total, (total + (zones - 1) * skew) // zones)


def _window(workload: Workload, total: int, zones: int, promise: Survival) -> tuple[int, int]:
    """Return the fewest and most replicas a zone holds, so that spread and promise follow.

    A skew of k allows any counts in a window of width k around the even share; the search keeps to it.
    """
    low, high = 0, total
    skew = _skew(workload)
    if skew is not None:
        low = max(0, total // zones - skew // 2)
        high = low + skew
        if high * zones < total:
            low, high = low + 1, high + 1
    if promise is Survival.STANDING:
        high = min(high, total - workload.replicas)
    if promise is Survival.LANDING:
        high = max(low, min(high, standing_total(total, zones, equal=False) - total if zones > 1 else total))
    return low, high
