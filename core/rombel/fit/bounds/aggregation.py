"""Step 5. Many classes priced through few: classes of one shape and one eligibility are relaxed as one, then told apart again.

Prices of the small relaxation make prices of the large one: a replica of any class is worth the least that its room is
priced at wherever it may run. These need not be the best prices, but the floor they prove is valid, as any prices' is. The
amounts of a group on each offer are handed out to its classes one after another, so that few classes are split.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

import numpy as np

from rombel.fit.bounds._highs import Floats
from rombel.fit.bounds.divisible import Divisible, Relaxation, divisible_limits, solve_divisible
from rombel.fit.bounds.linking import Linking, build_linking, rules_spread
from rombel.fit.bounds.simplex import divisible_loads
from rombel.fit.problem.instance import UNLIMITED, Instance, Ints
from rombel.model.fit_problem import NodeLoss, Survival

FINE, BLUNT, COARSE = 6.0, 1.5, 1.0
"""Steps in which the ratio of two resources of a request is told apart, for a factor of e: scarce ones, the same at first, others."""
SCARCE = 0.7
"""A resource is scarce when, on the median offer, all requests fill this share of it as they fill the fullest one."""
MOST_ROWS, MOST_ROUNDS, NEAR = 450, 12, 0.002
"""Up to so many rows all classes are relaxed too, for a few rounds, from the pairs that nearly pay at the groups' prices."""
TIED_ROWS = 900
"""The scenarios of a landing are tied together in one program up to so many rows."""
PROMISING, WORTHY = 0.97, 0.003
"""Pairs of a finer program start as columns on offers that earn this share of their price, where the room is at most this dearer."""
LOWERINGS = 6
"""How often prices are lowered where they pay too much for a node."""
FINE_UNITS = 10**9
"""A node has about so many units of each resource where groups are relaxed."""
MANY_ROWS = 160
"""A relaxation with more cover rows than this is solved in groups."""


def relax(linking: Linking) -> Divisible:
    """Return the divisible relaxation of an instance, in groups where there are many classes."""
    instance = linking.instance
    small_enough = len(instance.workloads) * linking.scenarios * len(instance.problem.zones) <= MANY_ROWS
    if small_enough or linking.stop():  # Where a stop is wished this answers at once that nothing is known.
        return solve_divisible(linking)
    # Tied together, the scenarios would multiply the rows; each zone alone gives a floor that is close and comes at once.
    if linking.scenarios > 1:
        return _by_zone(linking) or solve_divisible(linking)
    # With one scenario all classes fit into one program of groups, whose prices are then given to the classes.
    member = _members(instance, FINE)
    few = build_linking(_grouped(instance, member), linking.stop)
    small = Relaxation(few, _first_pairs(instance, few)).solve()
    # A mean request may fit nowhere although its members do, so a group without room proves nothing of the classes.
    if not small.feasible:
        return solve_divisible(linking)
    return _told_apart(linking, few, small, member)


def _first_pairs(instance: Instance, few: Linking) -> np.ndarray | None:
    """Return (S, J, G) pairs of group and offer that pay at the prices of blunter groups, which forget what limits a class on a node."""
    # Without "most on a node" groups join far more classes; the prices are rougher, and only choose which columns to begin with.
    workloads = tuple(replace(w, most_per_node=None) for w in instance.workloads)
    free = replace(instance, workloads=workloads)
    blunt = solve_divisible(build_linking(_grouped(free, _members(free, BLUNT)), few.stop))
    return _near(few, blunt.room_price, blunt.nodes) if blunt.feasible else None


def _near(few: Linking, room_price: Floats, nodes: Floats) -> np.ndarray:
    """Return (S, J, G) the pairs that nearly pay, on offers that nearly do, at prices of room from another program."""
    instance = few.instance
    scenarios, offers = np.argwhere(few.nodes >= 0).T
    prices = _room_prices(few, room_price, nodes)
    # A row nobody could price yet has an infinite price, and an infinite value would make every node look good.
    prices[~np.isfinite(prices)] = 0.0
    rates, asked = _pay(few, prices, scenarios, offers)
    rooms = np.zeros(few.cover.shape)
    rooms[scenarios, offers] = rates @ instance.request.T
    earns = asked >= PROMISING * instance.cost
    return few.pairs & earns[None, :, None] & (rooms <= few.replica_price(prices) * (1 + WORTHY))


def _room_prices(linking: Linking, room_price: Floats, nodes: Floats) -> Floats:
    """Return a price for each row: of cover rows the least that the room is priced at where nodes run, or else anywhere; infinite: none."""
    prices = np.full(len(linking.lower), np.inf)
    rooms = np.einsum("sjr,ir->sji", room_price, linking.instance.request)
    running = linking.pairs & (nodes > 1e-6)[None, :, None]
    # Nodes that run set the price: on others a replica might be carried for less, but nobody buys them.
    np.minimum.at(prices, linking.cover[running], rooms[running])
    missing = linking.pairs & ~np.isfinite(prices[linking.cover])
    np.minimum.at(prices, linking.cover[missing], rooms[missing])
    return prices


def _members(instance: Instance, fine: float) -> Ints:
    """Return (I,) the group of each class, its ratios told apart in so many steps; classes that a rule limits on a node stay alone."""
    # Shares of the total make resources comparable, whatever their units.
    replicas = np.array([w.replicas for w in instance.workloads], float)
    total = np.maximum(replicas @ instance.request, 1)
    fill = total / np.maximum(instance.capacity, 1)
    # Only resources that run out on most nodes must be told apart finely; of the others it is enough to know that they do not bind.
    scarce = np.median(fill / fill.max(axis=1, keepdims=True), axis=0) >= SCARCE
    # A class that asks for none of a resource has a ratio of nothing, whose logarithm would be infinite.
    shares = np.maximum(instance.request / total, 1e-15)
    largest = np.where(scarce, shares, 0.0).max(axis=1, keepdims=True)
    steps = np.clip(np.round(np.log(shares / largest) * np.where(scarce, fine, COARSE)), -12, 3 * FINE).astype(int)
    groups: dict[tuple[object, ...], int] = {}
    # Groups are numbered in the order in which they are met, so that the same rows give the same groups.
    member = np.zeros(len(instance.workloads), np.int64)
    for i, workload in enumerate(instance.workloads):
        own = workload.most_per_node is not None or workload.must_stand is not None or workload.stands
        alone = i if own else -1  # A key of its own keeps a class out of every group.
        where = (workload.instance_types, workload.zones, workload.interruptible_share > 0)
        key = (alone, tuple(steps[i].tolist()), where, instance.promise(i), bool(instance.lands[i]), instance.free(i))
        member[i] = groups.setdefault(key, len(groups))
    return member


def _grouped(instance: Instance, member: Ints) -> Instance:
    """Return the instance with one class for each group: the sum of its replicas, with the mean request, in finer units of each resource."""
    finer = _finer(instance)
    size = int(member.max()) + 1
    # What a rule says of one member holds for all: the key of a group holds every rule but the size of the request.
    firsts = np.array([int(np.flatnonzero(member == g)[0]) for g in range(size)])
    replicas = np.bincount(member, [w.replicas for w in instance.workloads], size)
    request = np.zeros((size, instance.request.shape[1]))
    # Weighted by replicas: the group stands for so many replicas that together ask for what the members ask for.
    weights = np.array([w.replicas for w in instance.workloads])[:, None]
    np.add.at(request, member, instance.request * finer.astype(float) * weights)
    # Rounded up: a group that asked for a little less than its members could not be told apart into them.
    mean = np.ceil(request / replicas[:, None]).astype(np.int64)

    def summed(values: Ints) -> Ints:
        total = np.zeros((size, *values.shape[1:]), np.int64)
        np.add.at(total, member, values)
        return total

    workloads = tuple(
        replace(instance.workloads[first], replicas=int(count)) for first, count in zip(firsts, replicas, strict=True)
    )
    # The group may do what its most capable member may; the floor stays valid, as nothing is forbidden that was allowed.
    most = instance.most_on_node[:, firsts].copy()
    for group in range(size):
        most[:, group] = instance.most_on_node[:, member == group].max(axis=1)
    limited = np.array([w.most_per_node is not None for w in workloads], np.bool_)
    capacity = instance.capacity * finer
    times = (capacity[:, None, :] // np.maximum(mean, 1)[None]).min(axis=2)
    # A node that one member fits on must not be lost to the group because the mean is larger.
    most = np.where((most > 0) & ~limited, np.maximum(times, 1), most)
    return replace(
        instance,
        workloads=workloads,
        request=mean,
        capacity=capacity,
        per_node=most,
        most_on_node=most,
        total=summed(instance.total),
        least_total=summed(instance.least_total),
        window=summed(instance.window),
        bounds=summed(instance.bounds),
        skew=_summed_skew(instance, member, size),
        domains=instance.domains[firsts],
        lands=instance.lands[firsts],
        interruptible_most=summed(instance.interruptible_most),
        # Classes apart share no group's node rows in a relaxation: leaving the rule out can only lower the floor.
        apart=np.zeros((size, size), np.bool_),
    )


def _finer(instance: Instance) -> Ints:
    """Return (R,) by how much each resource's unit is parted so that a mean request in whole units loses nothing to speak of.

    An instance counts in the largest unit that all amounts are multiples of; a mean rounded up to those asks for several percent more.
    """
    finer: Ints = np.maximum(1, FINE_UNITS // np.maximum(1, instance.capacity.max(axis=0, initial=1)))
    return finer


def _summed_skew(instance: Instance, member: Ints, size: int) -> Ints:
    """Return (G,) the largest difference over zones of each group's counts: the sum of its classes', where all have one and the same zones."""
    total = np.full(size, -1, np.int64)
    for group in range(size):
        own = np.flatnonzero(member == group)
        # Classes whose windows of counts say all that their rule asks for get no row, and a group of such ones none either.
        ruled = any(rules_spread(instance, int(i)) for i in own)
        if ruled and (instance.skew[own] >= 0).all() and (instance.domains[own] == instance.domains[own[0]]).all():
            total[group] = instance.skew[own].sum()
    return total


def _told_apart(linking: Linking, few: Linking, small: Divisible, member: Ints) -> Divisible:
    """Return the relaxation of all classes at the prices of the groups: a valid floor, prices and amounts."""
    instance, covered = linking.instance, linking.pairs
    # A relaxation of groups counts in finer units, and prices of a finer unit are smaller in the same measure.
    prices = _room_prices(linking, small.room_price * _finer(instance), small.nodes)
    # Classes with a limit of their own were groups of their own, so their dual is exact and is taken over as it is.
    alone = np.array([w.most_per_node is not None for w in instance.workloads], np.bool_)
    own = covered & alone[None, None, :]
    prices[linking.cover[own]] = np.maximum(small.dual[few.cover[:, :, member][own]], 0.0)
    prices[~np.isfinite(prices)] = 0.0
    groups = len(instance.shared_most)
    if groups:
        # The rows of quotas over several offers are the last ones in both programs, in one order.
        prices[-groups:] = small.dual[len(few.lower) - groups : len(few.lower)]
    priced = _priced(linking, prices, small.nodes, _handed_out(instance, small.amounts, member))
    # With rows to spare the classes' own program follows, from the pairs that nearly pay: it ends in a round or two.
    if len(instance.workloads) * len(instance.problem.zones) > MOST_ROWS:
        return priced
    rooms = np.einsum("sjr,ir->sji", priced.room_price, instance.request)
    near = covered & (rooms <= priced.replica_price * (1 + NEAR))
    exact = Relaxation(linking, near).solve(MOST_ROUNDS)
    return exact if exact.feasible and exact.floor > priced.floor * (1 - 1e-4) else priced


def tighten(linking: Linking, rounds: int) -> Divisible | None:
    """Return the relaxation with landing, its scenarios tied together, slower than ``relax`` and tighter; None: it is too large."""
    instance = linking.instance
    member = _members(instance, FINE)
    few = build_linking(_grouped(instance, member), linking.stop)
    if len(few.lower) > TIED_ROWS:
        return None
    # A start near the optimum turns hundreds of rounds into a few; without one the program begins from the cheapest offers.
    start = _by_zone(few)
    near = None
    if start is not None:
        rooms = np.einsum("sjr,ir->sji", start.room_price, few.instance.request)
        near = few.pairs & (rooms <= start.replica_price * (1 + 5 * NEAR)) & (start.replica_price > 0)
    small = Relaxation(few, near).solve(rounds)
    return _told_apart(linking, few, small, member) if small.feasible else None


def price_rows(linking: Linking, prices: Floats) -> Divisible:
    """Return what given prices of the cover rows prove, lowered where they pay too much; it knows no nodes."""
    offers, classes = linking.instance.per_node.shape
    return _priced(linking, prices, np.zeros(offers), np.zeros((offers, classes)))


def _priced(linking: Linking, prices: Floats, nodes: Floats, amounts: Floats) -> Divisible:
    """Return a relaxation at given prices of the cover rows, lowered where a node would be paid more than it costs."""
    instance = linking.instance
    scenarios, offers = np.argwhere(linking.nodes >= 0).T
    room_price = np.zeros((*linking.nodes.shape, instance.request.shape[1]))
    floor, best, kept = 0.0, prices, room_price
    for _ in range(LOWERINGS):
        if linking.stop():
            break
        room_price[scenarios, offers], asked = _pay(linking, prices, scenarios, offers)
        found = _floor_of(linking, prices, asked)
        if found > floor:
            floor, best, kept = found, prices.copy(), room_price.copy()
        # The tolerance is that of the solver: a node paid a millionth too much is scaled down in the floor, not priced anew.
        dear = asked > instance.cost * (1 + 1e-6)
        if not dear.any():
            break
        # A node that earns too much has its room priced down to what it costs, and no replica is paid more than its room there.
        fair = room_price * (instance.cost / np.maximum(asked, 1e-300))[None, :, None]
        rooms = np.einsum("sjr,ir->sji", fair[:, dear], instance.request)
        covered = linking.pairs[:, dear]
        np.minimum.at(prices, linking.cover[:, dear][covered], rooms[covered])
    nothing = np.zeros(len(instance.workloads))
    return Divisible(True, False, floor, linking.replica_price(best), kept, nodes, nothing, best, amounts)


def _by_zone(linking: Linking) -> Divisible | None:
    """Return a relaxation with landing from what all replicas would cost in each zone alone; None where one cannot.

    Whichever zone is lost, the others hold everything. Let ``P(z)`` price a replica where only zone z is for sale. Paid
    ``sum P / (Z - 1) - P(s)`` in the scenario in which s is lost, a node of zone z earns ``P(z)`` over its scenarios; or all are paid
    shares of the mean of the P.
    """
    instance, problem = linking.instance, linking.instance.problem
    # Every zone is solved for all replicas, as if the others had no offers.
    zones = len(problem.zones)
    alone = np.zeros((zones, len(instance.workloads)))
    nodes, amounts = np.zeros(len(instance.offers)), np.zeros(instance.per_node.shape)
    for zone in range(zones):
        here = np.flatnonzero(instance.zone == zone)
        if linking.stop():
            return None
        # What cannot run in this zone cannot be priced there, and then zones cannot stand in for each other.
        if not len(here) or (instance.most_on_node[here] == 0).all(axis=0).any():
            return None
        own = build_linking(_only(instance, here), linking.stop)
        found = relax(own)
        if not found.feasible:
            return None
        alone[zone] = found.replica_price[0].max(axis=0)
        # All zones but one hold everything, so each needs its part of what it would need alone.
        nodes[here], amounts[here] = found.nodes / (zones - 1), found.amounts / zones
    shares = np.maximum(_lost_shares(instance, alone.mean(axis=0)), 0.0)
    apart = np.maximum(alone.sum(axis=0) / (zones - 1) - alone, 0.0)
    # Two ways to share out what is paid over the scenarios; either is valid, so the better floor is kept.
    priced = [
        _priced(linking, _by_scenario(linking, paid), nodes, amounts)
        for paid in (np.outer(shares, alone.mean(axis=0)), apart)
    ]
    return max(priced, key=lambda found: found.floor)


def _lost_shares(instance: Instance, price: Floats) -> Floats:
    """Return (Z,) the share of one price of each class, the same in all zones, that is paid in the scenario in which a zone is lost.

    Where nodes of zone z earn up to ``r_z`` times what they cost at the price, shares ``a`` with ``sum(a) - a_z = 1 / r_z`` let
    them earn just that over their scenarios.
    """
    # Where a class does not fit at all it must not be paid for, or the node would earn what it cannot carry.
    values = np.ascontiguousarray(np.where(instance.per_node > 0, price, 0.0))
    _, _, earned = divisible_loads(values, divisible_limits(instance), instance.request, instance.capacity)
    zones = range(len(instance.problem.zones))
    times = np.array([(earned / instance.cost)[instance.zone == zone].max(initial=1e-9) for zone in zones])
    # The shares that make nodes of every zone earn what they cost, when each scenario pays its share of one price.
    shares: Floats = (1 / times).sum() / (len(times) - 1) - 1 / times
    return shares


def _by_scenario(linking: Linking, paid: Floats) -> Floats:
    """Return prices of the rows from (S, I) what a replica is paid in each scenario."""
    prices = np.zeros(len(linking.lower))
    for scenario in range(linking.scenarios):
        rows = linking.cover[scenario].max(axis=0, initial=-1)
        prices[rows[rows >= 0]] = paid[scenario][rows >= 0]
    return prices


def _only(instance: Instance, offers: Ints) -> Instance:
    """Return the instance with these offers alone and no promise."""
    workloads = tuple(
        replace(w, survive_zone=None, survive_nodes=None, zone_skew=None, equal_zones=False) for w in instance.workloads
    )
    return replace(
        instance,
        problem=replace(instance.problem, survive_zone=Survival.NONE, survive_nodes=NodeLoss()),
        workloads=workloads,
        offers=tuple(instance.offers[offer] for offer in offers),
        price=instance.price[offers],
        # The single zone is a problem of its own, and what the other zones promise or limit has no place in it.
        cost=instance.cost[offers],
        capacity=instance.capacity[offers],
        zone=instance.zone[offers],
        pool=instance.pool[offers],
        quota=instance.quota[offers],
        per_node=instance.per_node[offers],
        most_on_node=instance.most_on_node[offers],
        interruptible=instance.interruptible[offers],
        total=np.array([w.replicas for w in workloads], np.int64),
        least_total=np.array([w.replicas for w in workloads], np.int64),
        # No zone can be compared with another here, so no rule between zones is left to bind.
        bounds=np.stack([0 * instance.bounds[..., 0], 0 * instance.bounds[..., 1] + UNLIMITED], axis=-1),
        lands=np.zeros(len(workloads), np.bool_),
        skew=np.full(len(workloads), -1, np.int64),
        shared_use=instance.shared_use[:, offers],
    )


def _pay(linking: Linking, prices: Floats, scenarios: Ints, offers: Ints) -> tuple[Floats, Floats]:
    """Return the weights of the nodes in each scenario (B, R), and (J,) what the prices pay for one node at most."""
    instance = linking.instance
    values = linking.replica_price(prices)[scenarios, offers]
    limits = divisible_limits(instance)[offers]
    rates, _, pays = divisible_loads(values, limits, instance.request, instance.capacity[offers])
    asked = np.zeros(len(instance.offers))
    np.add.at(asked, offers, pays)
    return rates, asked


def _floor_of(linking: Linking, prices: Floats, asked: Floats) -> float:
    """Return the floor that prices of the cover rows prove: what all replicas are paid wherever they may stand."""
    instance = linking.instance
    # The prices of "at least so many" rows are paid on their right-hand sides, as in any linear program's dual.
    rows = np.unique(linking.cover[linking.cover >= 0])
    lower = np.array(linking.lower)
    paid = float((lower[rows] * prices[rows]).sum()) + _least_paid(linking, prices)
    groups = len(instance.shared_most)
    # Quotas over several offers are "at most" rows: their price is negative and takes off the floor.
    paid += float((instance.shared_most * prices[len(prices) - groups :]).sum())
    return linking.floor(paid, prices, np.zeros(len(instance.offers)), asked)


def _least_paid(linking: Linking, prices: Floats) -> float:
    """Return the least that the counts by zone can be paid: replicas stand where they are worth least, as far as rules let them."""
    instance, landing, paid = linking.instance, linking.scenarios > 1, 0.0
    zones = range(len(instance.problem.zones))
    # All offers of a zone share a row for a class and scenario, so any of them tells its price.
    rows = np.array([linking.cover[:, instance.zone == zone].max(axis=1, initial=-1) for zone in zones])
    value = np.where(rows >= 0, prices[rows], 0.0)
    for i, workload in enumerate(instance.workloads):
        # Rows that ask for the class's replicas directly have been counted with their right-hand side already.
        if instance.lands[i] or (not landing and instance.free(i)):
            continue
        own = instance.usable_zones(i)
        replica_price = np.array(
            [sum(value[z, s, i] for s in range(linking.scenarios) if not landing or s != z) for z in own]
        )
        order = np.argsort(replica_price, kind="stable")
        # The cheapest zones are where an optimal answer of the dual's inner problem puts replicas.
        low, high = instance.bounds[i, own][order].T.astype(float)
        if instance.promise(i) is Survival.STANDING:
            paid += _least_standing(replica_price[order], low, float(instance.least_total[i]), float(workload.left))
        else:
            paid += _filled(replica_price[order], low, high, float(instance.least_total[i]))
    return paid


def _filled(replica_price: Floats, low: Floats, high: Floats, total: float) -> float:
    """Return what so many replicas are paid at least, the cheap zones full first; infinite where they find no room."""
    # Fill from the cheapest on: each takes what is left when those before it are full.
    left = total - low.sum()
    more = np.clip(left - np.concatenate([[0.0], np.cumsum(high - low)[:-1]]), 0.0, high - low)
    return float(replica_price @ (low + more)) if left <= (high - low).sum() + 1e-9 else np.inf


def _least_standing(replica_price: Floats, low: Floats, least: float, left: float) -> float:
    """Return what replicas are paid at least of which, whatever zone is lost, so many are left.

    With T in all no zone holds more than T - ``left``. What they are paid is convex in T and bends only where the cheapest
    zones are just full and the others at their fewest, so the least is at such a T or at the smallest.
    """
    if len(replica_price) < 2:
        return np.inf
    smallest = max(least, left + low.max(initial=0.0), low.sum())
    # The least is at a corner: where the sum is smallest, or where one more zone reaches its most.
    rest = low.sum() - np.cumsum(low)
    full = np.arange(2, len(replica_price) + 1)
    bends = (full * left - rest[1:]) / (full - 1)
    totals = np.maximum(np.append(bends, smallest), smallest)
    return min(_filled(replica_price, low, np.full(len(replica_price), total - left), total) for total in totals)


def _handed_out(instance: Instance, amounts: Floats, member: Ints) -> Floats:
    """Return (J, I) amounts of each class from (J, G) amounts of the groups: large classes first, each split little.

    Where zones count, every zone hands out its own part.
    """
    apart = np.zeros((len(amounts), len(member)))
    sizes = (instance.request / np.maximum(instance.capacity.max(axis=0, initial=1), 1)).max(axis=1)
    classes = defaultdict(list)
    for i in np.argsort(-sizes, kind="stable"):
        classes[int(member[i])].append(int(i))
    for group, members in classes.items():
        used = np.flatnonzero(amounts[:, group] > 1e-9)
        # A class bound to zones by a rule must keep the amounts that the group had in each of them.
        free = instance.free(members[0])
        parts = [used] if free else [used[instance.zone[used] == zone] for zone in np.unique(instance.zone[used])]
        for offers in parts:
            share = amounts[offers, group].sum() / max(amounts[used, group].sum(), 1e-12)
            counts = [float(instance.least_total[i] * share) for i in members]
            _hand_out(apart, offers, amounts[offers, group], members, counts, sizes)
    return apart


def _hand_out(
    apart: Floats, offers: Ints, amounts: Floats, members: list[int], counts: list[float], sizes: Floats
) -> None:
    """Give each offer its part of the classes' replicas, by size, one class after another."""
    total = float(sum(sizes[i] * count for i, count in zip(members, counts, strict=True)))
    room, index = amounts / max(amounts.sum(), 1e-12) * total, 0
    for i, left in zip(members, counts, strict=True):
        while left > 1e-9 and index < len(offers):
            # The last offer takes what rounding has left over, so that no replica gets lost.
            step = min(left, room[index] / sizes[i]) if index + 1 < len(offers) else left
            apart[offers[index], i] += step
            left -= step
            room[index] -= step * sizes[i]
            index += int(room[index] <= 1e-9 * total and index + 1 < len(offers))
