"""Step 3. A fitting problem as arrays: classes x offers x resources, ready for the solver.

Prices become whole numbers without a common divisor, so that sums are exact; what is solved in floats takes prices as parts
of the dearest, so that currency and scale do not matter. Replicas to place, and the window of counts that each zone may hold,
follow from the promise and the spread rule.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from itertools import islice

import numpy as np
from numpy.typing import NDArray

from rombel.fit.problem.presolve import binding_resources, grains, whole_prices
from rombel.fit.problem.zone_counts import ZoneRules
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, OfferKey, Purchase, Survival, Vector, Workload

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
UNLIMITED = 10**9
MOST_ON_A_NODE = 30_000
"""More replicas of a class than this are never put on one node."""
DEAREST = 1e4
"""What the dearest offer costs in the units in which programs are solved."""


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
        (J,) whole numbers without a common divisor; ``price * unit`` is money an hour.
    unit
        Money an hour that a price of 1 is.
    cost
        (J,) prices as parts of the dearest, which costs ``DEAREST``.
    resources, grain
        Names of the R resources that can bind, and (R,) how much of each is one in ``capacity`` and ``request``.
    capacity
        (J, R) usable grains of a node.
    request
        (I, R) grains of a replica.
    zone, pool
        (J,) index of the offer's zone and pool.
    quota, fewest
        (J,) most nodes, and those that run in any case.
    per_node
        (J, I) most replicas of a class on one node of an offer; 0: it may not run there.
    most_on_node
        (J, I) the same as far as rules and room force it; ``per_node`` may be less where the search keeps to less.
    least_total
        (I,) fewest replicas that any answer places.
    bounds
        (I, Z, 2) fewest and most replicas that any answer can have in a zone.
    skew, domains
        (I,) largest difference of its counts over its domains, -1: free; (I, Z) the zones that count as its domains.
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
    unit: Decimal
    cost: Floats
    resources: tuple[str, ...]
    grain: Ints
    capacity: Ints
    request: Ints
    zone: Ints
    pool: Ints
    quota: Ints
    fewest: Ints
    per_node: Ints
    total: Ints
    window: Ints
    interruptible: NDArray[np.bool_]
    interruptible_most: Ints
    most_on_node: Ints
    least_total: Ints
    bounds: Ints
    skew: Ints
    domains: NDArray[np.bool_]
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

    # An offer that has room counts, whether or not it is bought later.
    def usable_zones(self, class_index: int) -> list[int]:
        """Return the zones with an offer that this class may run on."""
        zones: list[int] = np.unique(self.zone[self.per_node[:, class_index] > 0]).tolist()
        return zones

    def promise(self, class_index: int) -> Survival:
        """Return how the class survives the loss of a zone."""
        return self.problem.promise_of(self.workloads[class_index])

    @property
    def money_per_cost(self) -> float:
        """Return the money an hour that one unit of ``cost`` is."""
        return float(self.unit) * self._prices_per_cost

    @property
    def _prices_per_cost(self) -> float:
        return int(self.price.max(initial=1)) / DEAREST

    def whole_floor(self, floor: float) -> int:
        """Return the least price at or above a floor in units of ``cost``: what nodes cost together is a whole price."""
        # Rounded up to a whole price, but for a tolerance: a floor must never rise by an error of floats.
        return math.ceil(floor * self._prices_per_cost * (1 - 1e-9) - 1e-6)

    def cost_of(self, price: int) -> float:
        """Return a whole price in units of ``cost``."""
        return price / self._prices_per_cost

    def money(self, amount: int) -> Decimal:
        """Return a whole-number price as money an hour."""
        return Decimal(amount) * self.unit

    def rules_of(self, class_index: int) -> tuple[list[int], ZoneRules]:
        """Return the domains of a class, and what rules its counts there."""
        workload, zones = self.workloads[class_index], np.flatnonzero(self.domains[class_index]).tolist()
        # Replicas bound by volumes that exist already.
        held = np.array([workload.stands.get(self.problem.zones[zone], 0) for zone in zones], np.int64)
        skew = None if self.skew[class_index] < 0 else int(self.skew[class_index])
        standing = self.promise(class_index) is Survival.STANDING
        left = workload.left if standing else None
        return zones, ZoneRules(workload.replicas, self._caps(class_index, zones), held, skew, left)

    def _caps(self, class_index: int, zones: list[int]) -> Ints:
        """Return (D,) the most replicas that the quotas of each zone's offers hold."""
        # A quota times what fits on a node is the most that a zone's offer can hold.
        room = np.minimum(self.quota, UNLIMITED) * self.most_on_node[:, class_index]
        return np.array([min(int(room[self.zone == zone].sum()), UNLIMITED) for zone in zones], np.int64)


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
        resources=tuple(problem.resources[place] for place in resources),
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
    return _counted(bare, thin)


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
    kept = [place for place, name in enumerate(problem.resources) if name in keep]
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
    for place, (_, offer) in enumerate(offers):
        domains[:, zones[offer.zone]] |= most[place] > 0
    return domains


def _useful_offers(problem: FitProblem, standing: Collection[OfferKey]) -> tuple[tuple[InstanceType, Offer], ...]:
    """Return the offers that may be bought; of two in a zone where one has all the other has for no more, that one."""
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
        # Within a zone and kind of purchase, of offers that the same workloads may use.
        better = (group == group[n]) & (price <= price[n]) & (room >= room[n]).all(axis=1)
        same = (price == price[n]) & (room == room[n]).all(axis=1)
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


def standing_total(replicas: int, zones: int, equal: bool) -> int:
    """Return the fewest replicas of which ``replicas`` are left whichever one of the zones is lost.

    With equal counts ``zones * ceil(replicas / (zones - 1))``; else the least T with ``T - ceil(T / zones) >=
    replicas``. ``zones`` is at least 2.
    """
    if equal:
        return zones * -(-replicas // (zones - 1))
    count = replicas
    # Each added replica lowers what the fullest zone can hold, and so this ends after few.
    while count - -(-count // zones) < replicas:
        count += 1
    return count


def _counted(instance: Instance, thin: Ints) -> Instance:
    """Return the instance with how many replicas are placed, in all and by zone; ``thin`` (I,) most on a node by choice."""
    total, least = instance.total.copy(), instance.least_total.copy()
    window, bounds = instance.window.copy(), instance.bounds.copy()
    for i, workload in enumerate(instance.workloads):
        total[i] = least[i] = workload.replicas
        zones, rules = instance.rules_of(i)
        if not zones:
            continue
        standing = instance.promise(i) is Survival.STANDING
        # With a promise to stand, more are placed than asked for: as few as leave enough whatever zone is lost.
        if standing and len(zones) > 1:
            fewest = standing_total(workload.left, len(zones), workload.equal_zones)
            total[i] = least[i] = rules.total() or max(workload.replicas, fewest)
        loss = instance.problem.node_promise_of(workload)
        # When nodes are lost, so many of the fullest go: with at most ``thin`` on each that is what must stand on top.
        if loss.promised and loss.how is Survival.STANDING:
            total[i] = max(int(total[i]), workload.left + loss.count * int(thin[i]))
            least[i] = max(int(least[i]), workload.left + loss.count)
            if workload.equal_zones:
                total[i] = -(-int(total[i]) // len(zones)) * len(zones)
        window[i, zones] = _window(instance, i, rules, int(total[i]))
        exact = not standing and least[i] == workload.replicas
        bounds[i, zones] = _bounds(rules, int(least[i]), exact)
    shares = [most_interruptible(w, int(total[i])) for i, w in enumerate(instance.workloads)]
    most = np.array(shares, np.int64)
    return replace(instance, total=total, window=window, least_total=least, bounds=bounds, interruptible_most=most)


def around(instance: Instance, counts: Floats) -> Instance:
    """Return the instance with every window as near as the rules allow to (I, Z) counts of a relaxation, which may be parts.

    A spread rule of 2 or more, and replicas that must stand, leave more than one window open: the relaxation knows the prices
    and the quotas of the zones.
    """
    total, window = instance.total.copy(), instance.window.copy()
    for i, workload in enumerate(instance.workloads):
        standing = instance.promise(i) is Survival.STANDING and total[i] == instance.least_total[i]
        open_window = instance.skew[i] > 1 and not instance.lands[i] and total[i] == workload.replicas
        # Windows are moved only where the rules leave a choice; the relaxation shows which zones are cheaper.
        if not workload.equal_zones and (standing or open_window):
            zones, rules = instance.rules_of(i)
            found = rules.nearest(counts[i, zones], int(instance.least_total[i]))
            if found is not None:
                total[i], window[i, zones, 0], window[i, zones, 1] = found
    shares = [most_interruptible(w, int(total[i])) for i, w in enumerate(instance.workloads)]
    return replace(instance, total=total, window=window, interruptible_most=np.array(shares, np.int64))


def most_interruptible(workload: Workload, count: int) -> int:
    """Return how many of ``count`` replicas may run on interruptible nodes."""
    # The tolerance keeps a share such as 0.3 of 10 from becoming 2 by an error of floats.
    return math.floor(workload.interruptible_share * count + 1e-9)


def _skew(workload: Workload) -> int | None:
    return 0 if workload.equal_zones else workload.zone_skew


def _bounds(rules: ZoneRules, least: int, exact: bool) -> Ints:
    """Return (D, 2) the fewest and most replicas of any answer in each zone, when ``least`` or, if not exact, more are placed."""
    # Bounds are of every valid answer, and so may only say what follows from the rules themselves.
    bounds = np.stack([rules.held, np.full(len(rules.caps), UNLIMITED)], axis=1)
    emptiest, zones = int(rules.caps.min(initial=UNLIMITED)), len(rules.caps)
    if rules.skew is not None:
        # The other zones can be at most the spread above the emptiest one.
        fewest = min(max(0, -(-(least - (zones - 1) * rules.skew) // zones)), emptiest)
        bounds[:, 0] = np.maximum(bounds[:, 0], fewest)
        if exact:
            bounds[:, 1] = min(least, (least + (zones - 1) * rules.skew) // zones)
        if emptiest < UNLIMITED:
            bounds[:, 1] = np.minimum(bounds[:, 1], emptiest + rules.skew)
    elif exact:
        bounds[:, 1] = least
    bounds[:, 1] = np.maximum(bounds[:, 1], rules.held)
    return bounds


def _window(instance: Instance, i: int, rules: ZoneRules, total: int) -> Ints:
    """Return (D, 2) the fewest and most replicas that the search keeps to in each zone, so that spread and promise follow.

    A skew of k allows any counts in a window of width k; the one around the even share is taken where it serves.
    """
    # The search keeps to the middle of what the spread allows, so that promises after a loss are easier to keep.
    middle = 0 if rules.skew is None else max(0, total // len(rules.caps) - rules.skew // 2)
    starts = list(islice(rules.starts(total), max(1, rules.skew or 0)))
    fewest = min(starts, key=lambda start: abs(start - middle), default=middle)
    low, most = rules.window(total, fewest)
    if instance.promise(i) is Survival.LANDING:
        # So many can stand in a zone at most that the rest has as much room as is needed without it.
        even = standing_total(total, len(low), equal=False) - total if len(low) > 1 else total
        most = np.maximum(low, np.minimum(most, even))
    return np.stack([low, np.maximum(most, rules.held)], axis=1)
