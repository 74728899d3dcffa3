"""Step 3. From a problem to its arrays: which offers and resources matter, what a node may carry, which zones are domains."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence

import numpy as np
from numpy.typing import NDArray

from rombel.fit.problem.counts import counted
from rombel.fit.problem.instance import DEAREST, MOST_ON_A_NODE, UNLIMITED, Instance, Ints
from rombel.fit.problem.presolve import binding_resources, grains, whole_prices
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, OfferKey, Purchase, Survival, Vector, Workload


def build_instance(
    problem: FitProblem,
    nodes: float = math.inf,
    standing: Collection[OfferKey] = frozenset(),
    *,
    asked: FitProblem | None = None,
    keep: Collection[str] | None = (),
) -> Instance:
    """Return the arrays of a problem; offers that can run nothing and classes without replicas are left out.

    Parameters
    ----------
    problem
        What is to be solved.
    nodes
        About how many nodes an answer has: with it the search spreads classes thinly enough to survive the loss of nodes
        standing.
    standing
        Offers of nodes that stand; they stay, whatever they cost.
    asked
        The problem before offers were left out of it, which says what zones a class may use; None: it is ``problem``.
    keep
        Names of resources that stay although they cannot bind; None: all of them.

    """
    workloads = tuple(entry for entry in problem.workloads if entry.replicas > 0)
    offers = _useful_offers(problem, standing)
    price, unit = whole_prices([offer.price_per_hour for _, offer in offers])
    width = len(problem.resources)
    room = np.array([problem.usable(e) for e, _ in offers], np.int64).reshape(-1, width)
    request = np.array([w.request for w in workloads], np.int64).reshape(-1, width)
    most = _most_on_nodes(problem, workloads, offers, room, request)
    resources = _binding(problem, workloads, keep, room, request, most)
    grain = grains(request[:, resources])
    thin = np.array([_thin(problem, w, nodes) for w in workloads], np.int64)
    nothing, no_counts = np.zeros(len(workloads), np.int64), np.zeros((len(workloads), len(problem.zones), 2), np.int64)
    # Counts come afterwards, as their rules need the arrays of this one.
    bare = Instance(
        problem=problem,
        workloads=workloads,
        offers=offers,
        price=price,
        unit=unit,
        # The dearest offer costs 10,000 in every problem, so tolerances mean the same whatever the currency.
        cost=price.astype(np.float64) * (DEAREST / int(price.max(initial=1))),
        resources=tuple(problem.resources[index] for index in resources),
        grain=grain,
        capacity=room[:, resources] // grain,
        request=request[:, resources] // grain,
        zone=np.array([problem.zones.index(offer.zone) for _, offer in offers], np.int64),
        pool=_pools(offers),
        quota=np.array([UNLIMITED if o.most_nodes is None else o.most_nodes for _, o in offers], np.int64),
        fewest=np.array([o.fewest_nodes for _, o in offers], np.int64),
        per_node=np.minimum(most, thin),
        total=nothing,
        window=no_counts,
        interruptible=np.array([o.purchase is Purchase.INTERRUPTIBLE for _, o in offers], np.bool_),
        interruptible_most=nothing,
        most_on_node=most,
        least_total=nothing,
        bounds=no_counts,
        skew=np.array([-1 if (skew := _skew(w)) is None else skew for w in workloads], np.int64),
        domains=_domains(asked or problem, [w.name for w in workloads]),
        lands=np.array([_lands(problem, w) for w in workloads], np.bool_),
        apart=_apart(workloads),
        shared_use=_shared_use(problem, offers),
        shared_most=np.array([q.most for q in problem.limits.quotas], np.int64),
    )
    return counted(bare, thin)


def _pools(offers: Sequence[tuple[InstanceType, Offer]]) -> Ints:
    """Return (J,) the number of each offer's pool, in the order in which pools are met."""
    # Numbered as they are met, so that equal problems get equal numbers.
    pools: dict[tuple[str, Purchase], int] = {}
    return np.array([pools.setdefault((entry.name, offer.purchase), len(pools)) for entry, offer in offers], np.int64)


def _lands(problem: FitProblem, workload: Workload) -> bool:
    """Return whether replicas land elsewhere when their zone is lost; those bound to it by a volume cannot."""
    return problem.promise_of(workload) is Survival.LANDING and not workload.bound_to_zone


def _shared_use(problem: FitProblem, offers: Sequence[tuple[InstanceType, Offer]]) -> Ints:
    """Return (Q, J) what a node of each offer takes of each quota over several offers."""
    quotas = problem.limits.quotas
    use = [[q.use(problem.resources, e) if q.holds_for(e, o) else 0 for e, o in offers] for q in quotas]
    return np.array(use, np.int64).reshape(len(quotas), len(offers))


def _binding(
    problem: FitProblem,
    workloads: Sequence[Workload],
    keep: Collection[str] | None,
    room: Ints,
    request: Ints,
    most: Ints,
) -> Ints:
    """Return the places of the resources that may bind, or that are to be kept; None: all are."""
    # A caller that reads every resource keeps them all.
    if keep is None:
        return np.arange(len(problem.resources))
    kept = [index for index, name in enumerate(problem.resources) if name in keep]
    together = np.array([most_together(problem, w) for w in workloads], np.int64)
    return binding_resources(room, request, np.minimum(most, together), kept)


def _apart(workloads: tuple[Workload, ...]) -> NDArray[np.bool_]:
    """Return (I, I) whether no replica of one may share a node with one of the other."""
    names = {w.name: i for i, w in enumerate(workloads)}
    apart = np.zeros((len(workloads), len(workloads)), np.bool_)
    for i, workload in enumerate(workloads):
        for other in workload.apart & names.keys():
            apart[i, names[other]] = apart[names[other], i] = True
    return apart


def _domains(problem: FitProblem, names: Sequence[str]) -> NDArray[np.bool_]:
    """Return (I, Z) the zones where some offer with a quota has room for a replica on an empty node: a full one still counts."""
    zones, known = {name: number for number, name in enumerate(problem.zones)}, {w.name: w for w in problem.workloads}
    # A type that is full of quota still is a domain: the published spread rule counts zones that exist.
    workloads = tuple(known[name] for name in names)
    offers = [
        (e, o) for e in problem.instance_types for o in e.offers if o.most_nodes != 0 and min(problem.usable(e)) >= 0
    ]
    width = len(problem.resources)
    room = np.array([problem.usable(e) for e, _ in offers], np.int64).reshape(-1, width)
    request = np.array([w.request for w in workloads], np.int64).reshape(-1, width)
    most = _most_on_nodes(problem, workloads, tuple(offers), room, request)
    domains = np.zeros((len(workloads), len(zones)), np.bool_)
    for index, (_, offer) in enumerate(offers):
        domains[:, zones[offer.zone]] |= most[index] > 0
    return domains


def _useful_offers(problem: FitProblem, standing: Collection[OfferKey]) -> tuple[tuple[InstanceType, Offer], ...]:
    """Return the offers that may be bought; of two in a zone where one has all the other has for no more money and quota, that one."""
    offers = [
        (entry, offer)
        for entry in problem.instance_types
        for offer in entry.offers
        # What already stands may stay although its quota is used up.
        if (offer.most_nodes != 0 or entry.key(offer) in standing)
        and (offer.fewest_nodes or min(problem.usable(entry)) >= 0)
    ]
    limits = problem.limits
    # Under these rules a dominated offer can be needed: another pool, or another zone's equal.
    if limits.most_pools or limits.equal_zones:
        return tuple(offers)
    if (limits.fewest_nodes_per_pool or 0) > 1 or (limits.fewest_nodes_per_zone or 0) > 1:
        return tuple(offers)
    welcome = {w.instance_types for w in problem.workloads if w.instance_types is not None}
    kind = {entry.name: tuple(entry.name in names for names in welcome) for entry, _ in offers}
    room = np.array([entry.allocatable for entry, _ in offers], np.int64)
    price = np.array([float(offer.price_per_hour) for _, offer in offers])
    use = _shared_use(problem, offers)
    index = {(offer.zone, offer.purchase, kind[entry.name]): n for n, (entry, offer) in enumerate(offers)}
    group = np.array([index[offer.zone, offer.purchase, kind[entry.name]] for entry, offer in offers], np.int64)
    kept = []
    for n, (_, offer) in enumerate(offers):
        # Within a zone and kind of purchase, of offers that the same workloads may use.
        better = (group == group[n]) & (price <= price[n]) & (room >= room[n]).all(axis=1)
        same = (price == price[n]) & (room == room[n]).all(axis=1) & (use == use[:, [n]]).all(axis=0)
        # What stands in for it may take no more of a quota over several offers.
        better &= (use <= use[:, [n]]).all(axis=0)
        # Of two that are equal the first stays.
        better &= ~same | (np.arange(len(offers)) < n)
        replaced = any(offers[other][1].most_nodes is None for other in np.flatnonzero(better))
        if not replaced or offer.fewest_nodes or offers[n][0].key(offer) in standing:
            kept.append((offers[n][0], offer))
    return tuple(kept)


def _thin(problem: FitProblem, workload: Workload, nodes: float) -> int:
    """Return the most replicas on one node that the search keeps to, beyond what room and rules force.

    A difference over nodes counts those without a replica, so no node may have more than it. To survive the loss of any k
    nodes standing, k times the fullest must be left over: the thinner, the fewer.
    """
    # A spread over nodes is kept by never putting more on one than the spread allows.
    most = MOST_ON_A_NODE if workload.node_skew is None else workload.node_skew
    loss = problem.node_promise_of(workload)
    if loss.promised and loss.how is Survival.STANDING:
        most = min(most, max(1, math.ceil(workload.left / max(nodes - loss.count, 1e-9))))
    return most


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
    # Interruptible nodes are barred to classes that tolerate none.
    for i, workload in enumerate(workloads):
        may = sure | (workload.interruptible_share > 0)
        for names, own in ((workload.instance_types, kind), (workload.zones, zone)):
            if names is not None:
                if names not in named:
                    named[names] = np.array([name in names for name in own], np.bool_)
                may = may & named[names]
        asked = request[i] > 0
        # The scarcest resource decides; without any request as many as the format allows.
        fitting = (np.maximum(room[:, asked], 0) // request[i, asked]).min(axis=1, initial=MOST_ON_A_NODE)
        limit = MOST_ON_A_NODE if workload.most_per_node is None else workload.most_per_node
        most[:, i] = np.where(may, np.minimum(fitting, limit), 0)
    return most


def most_alone(usable: Vector, workload: Workload) -> int:
    """Return how many replicas fit on an empty node, at most ``most_per_node`` and ``MOST_ON_A_NODE``."""
    fitting = [have // asked for have, asked in zip(usable, workload.request, strict=True) if asked]
    most = MOST_ON_A_NODE if workload.most_per_node is None else workload.most_per_node
    return max(0, min([most, *fitting]))


def most_together(problem: FitProblem, workload: Workload) -> int:
    """Return the most replicas on one node that a cheapest answer can need.

    More than ``replicas`` in one place never help to stand, but where only a share may be on interruptible nodes: some more on
    others then allow one more there.
    """
    share, standing = workload.interruptible_share, problem.promise_of(workload) is Survival.STANDING
    if standing and 0 < share < 1:
        # A share of the whole can only be kept by placing more on sure nodes, and so the count can grow.
        return workload.replicas + math.ceil(workload.replicas / share)
    loss = problem.node_promise_of(workload)
    more = loss.count if loss.promised and loss.how is Survival.STANDING else 0
    return workload.replicas * (1 + more)


def _skew(workload: Workload) -> int | None:
    return 0 if workload.equal_zones else workload.zone_skew
