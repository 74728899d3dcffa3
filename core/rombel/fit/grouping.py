"""Many classes priced through few: classes of one shape and one eligibility are relaxed as one, then told apart again.

Prices of the small relaxation make prices of the large one: a replica of any class is worth the least that its room is
priced at wherever it may run. These need not be the best prices, but the floor they prove is valid, as any prices' is. The
amounts of a group on each offer are handed out to its classes one after another, so that few classes are split.
"""

from __future__ import annotations

from collections import defaultdict
from dataclasses import replace

import numpy as np

from rombel.fit._highs import Columns, Floats, LinearModel
from rombel.fit._simplex import divisible_loads
from rombel.fit.coupling import Coupling, build_coupling, tail_entries
from rombel.fit.divisible import Divisible, Relaxation, divisible_limits, solve_divisible
from rombel.fit.instance import UNLIMITED, Instance, Ints
from rombel.model.fit_problem import NodeLoss, Survival

FINE, COARSE = 6.0, 1.0
"""Steps in which the ratio of two resources of a request is told apart, for a factor of e: scarce ones, and others."""
SCARCE = 0.7
"""A resource is scarce when, on the median offer, all requests fill this share of it as they fill the fullest one."""
MOST_ROWS, MOST_ROUNDS, NEAR = 450, 12, 0.002
"""Up to so many rows all classes are relaxed too, for a few rounds, from the pairs that nearly pay at the groups' prices."""
TIED_ROWS = 900
"""The states of a landing are tied together in one program up to so many rows."""
LOWERINGS = 6
"""How often prices are lowered where they pay too much for a node."""
MANY_ROWS = 160
"""A relaxation with more cover rows than this is solved in groups."""


def relax(coupling: Coupling) -> Divisible:
    """Return the divisible relaxation of an instance, in groups where there are many classes."""
    instance = coupling.instance
    if len(instance.workloads) * coupling.states * len(instance.problem.zones) <= MANY_ROWS:
        return solve_divisible(coupling)
    if coupling.states > 1:
        return _by_zone(coupling) or solve_divisible(coupling)
    member = _members(instance)
    few = build_coupling(_grouped(instance, member))
    small = solve_divisible(few)
    if not small.feasible:
        return solve_divisible(coupling)
    return _told_apart(coupling, few, small, member)


def _members(instance: Instance) -> Ints:
    """Return (I,) the group of each class; classes that a rule limits on a node stay alone."""
    replicas = np.array([w.replicas for w in instance.workloads], float)
    total = np.maximum(replicas @ instance.request, 1)
    fill = total / np.maximum(instance.capacity, 1)
    scarce = np.median(fill / fill.max(axis=1, keepdims=True), axis=0) >= SCARCE
    shares = np.maximum(instance.request / total, 1e-15)
    largest = np.where(scarce, shares, 0.0).max(axis=1, keepdims=True)
    steps = np.clip(np.round(np.log(shares / largest) * np.where(scarce, FINE, COARSE)), -12, 3 * FINE).astype(int)
    groups: dict[tuple[object, ...], int] = {}
    member = np.zeros(len(instance.workloads), np.int64)
    for i, workload in enumerate(instance.workloads):
        alone = i if workload.most_per_node is not None or workload.stands else -1
        where = (workload.instance_types, workload.zones, workload.interruptible_share > 0)
        key = (alone, tuple(steps[i].tolist()), where, instance.promise(i), bool(instance.lands[i]), instance.free(i))
        member[i] = groups.setdefault(key, len(groups))
    return member


def _grouped(instance: Instance, member: Ints) -> Instance:
    """Return the instance with one class for each group: the sum of its replicas, with the mean request."""
    size = int(member.max()) + 1
    firsts = np.array([int(np.flatnonzero(member == g)[0]) for g in range(size)])
    replicas = np.bincount(member, [w.replicas for w in instance.workloads], size)
    request = np.zeros((size, instance.request.shape[1]))
    np.add.at(request, member, instance.request * np.array([w.replicas for w in instance.workloads])[:, None])
    mean = np.ceil(request / replicas[:, None]).astype(np.int64)

    def summed(values: Ints) -> Ints:
        total = np.zeros((size, *values.shape[1:]), np.int64)
        np.add.at(total, member, values)
        return total

    workloads = tuple(
        replace(instance.workloads[first], replicas=int(count)) for first, count in zip(firsts, replicas, strict=True)
    )
    most = instance.most_on_node[:, firsts].copy()
    for group in range(size):
        most[:, group] = instance.most_on_node[:, member == group].max(axis=1)
    limited = np.array([w.most_per_node is not None for w in workloads], np.bool_)
    times = (instance.capacity[:, None, :] // np.maximum(mean, 1)[None]).min(axis=2)
    most = np.where((most > 0) & ~limited, np.maximum(times, 1), most)
    return replace(
        instance,
        workloads=workloads,
        request=mean,
        per_node=most,
        most_on_node=most,
        total=summed(instance.total),
        least_total=summed(instance.least_total),
        window=summed(instance.window),
        bounds=summed(instance.bounds),
        lands=instance.lands[firsts],
        interruptible_most=summed(instance.interruptible_most),
        apart=np.zeros((size, size), np.bool_),
    )


def _told_apart(coupling: Coupling, few: Coupling, small: Divisible, member: Ints) -> Divisible:
    """Return the relaxation of all classes at the prices of the groups: a valid floor, prices and amounts."""
    instance = coupling.instance
    prices = np.full(len(coupling.lower), np.inf)
    rooms = np.einsum("sjr,ir->sji", small.weight, instance.request)
    covered = coupling.pairs
    running = covered & (small.nodes > 1e-6)[None, :, None]
    np.minimum.at(prices, coupling.cover[running], rooms[running])
    missing = covered & ~np.isfinite(prices[coupling.cover])
    np.minimum.at(prices, coupling.cover[missing], rooms[missing])
    alone = np.array([w.most_per_node is not None for w in instance.workloads], np.bool_)
    own = covered & alone[None, None, :]
    prices[coupling.cover[own]] = np.maximum(small.dual[few.cover[:, :, member][own]], 0.0)
    prices[~np.isfinite(prices)] = 0.0
    groups = len(instance.shared_most)
    if groups:
        prices[-groups:] = small.dual[len(few.lower) - groups : len(few.lower)]
    priced = _priced(coupling, prices, small.nodes, _handed_out(instance, small.loads, member))
    if len(instance.workloads) * len(instance.problem.zones) > MOST_ROWS:
        return priced
    rooms = np.einsum("sjr,ir->sji", priced.weight, instance.request)
    near = covered & (rooms <= priced.worth * (1 + NEAR))
    exact = Relaxation(coupling, near).solve(MOST_ROUNDS)
    return exact if exact.feasible and exact.floor > priced.floor * (1 - 1e-4) else priced


def tighten(coupling: Coupling, rounds: int) -> Divisible | None:
    """Return the relaxation with landing, its states tied together, slower than ``relax`` and tighter; None: it is too large."""
    instance = coupling.instance
    member = _members(instance)
    few = build_coupling(_grouped(instance, member))
    if len(few.lower) > TIED_ROWS:
        return None
    start = _by_zone(few)
    near = None
    if start is not None:
        rooms = np.einsum("sjr,ir->sji", start.weight, few.instance.request)
        near = few.pairs & (rooms <= start.worth * (1 + 5 * NEAR)) & (start.worth > 0)
    small = Relaxation(few, near).solve(rounds)
    return _told_apart(coupling, few, small, member) if small.feasible else None


def _priced(coupling: Coupling, prices: Floats, nodes: Floats, loads: Floats) -> Divisible:
    """Return a relaxation at given prices of the cover rows, lowered where a node would be paid more than it costs."""
    instance = coupling.instance
    states, offers = np.argwhere(coupling.nodes >= 0).T
    weight = np.zeros((*coupling.nodes.shape, instance.request.shape[1]))
    floor, best = 0.0, prices
    for _ in range(LOWERINGS):
        weight[states, offers], asked = _pay(coupling, prices, states, offers)
        found = _floor_of(coupling, prices, asked)
        if found > floor:
            floor, best = found, prices.copy()
        dear = asked > instance.price * (1 + 1e-6)
        if not dear.any():
            break
        fair = weight * (instance.price / np.maximum(asked, 1e-300))[None, :, None]
        rooms = np.einsum("sjr,ir->sji", fair[:, dear], instance.request)
        covered = coupling.pairs[:, dear]
        np.minimum.at(prices, coupling.cover[:, dear][covered], rooms[covered])
    weight[states, offers], _ = _pay(coupling, best, states, offers)
    nothing = np.zeros(len(instance.workloads))
    return Divisible(True, floor, coupling.worth(best), weight, nodes, nothing, best, loads)


def _by_zone(coupling: Coupling) -> Divisible | None:
    """Return a relaxation with landing from what all replicas would cost in each zone alone; None where one cannot.

    Whichever zone is lost, the others hold everything. Let ``P(z)`` price a replica where only zone z is for sale. Paid
    ``sum P / (Z - 1) - P(s)`` in the state in which s is lost, a node of zone z earns ``P(z)`` over its states.
    """
    instance, problem = coupling.instance, coupling.instance.problem
    zones = len(problem.zones)
    alone = np.zeros((zones, len(instance.workloads)))
    nodes, loads = np.zeros(len(instance.offers)), np.zeros(instance.per_node.shape)
    for zone in range(zones):
        here = np.flatnonzero(instance.zone == zone)
        if not len(here) or (instance.most_on_node[here] == 0).all(axis=0).any():
            return None
        own = build_coupling(_only(instance, here))
        found = relax(own)
        if not found.feasible:
            return None
        alone[zone] = found.worth[0].max(axis=0)
        nodes[here], loads[here] = found.nodes / (zones - 1), found.loads / zones
    prices = np.zeros(len(coupling.lower))
    paid = np.maximum(alone.sum(axis=0) / (zones - 1) - alone, 0.0)
    for state in range(zones):
        rows = coupling.cover[state].max(axis=0)
        prices[rows[rows >= 0]] = paid[state][rows >= 0]
    return _priced(coupling, prices, nodes, loads)


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
        capacity=instance.capacity[offers],
        zone=instance.zone[offers],
        pool=instance.pool[offers],
        quota=instance.quota[offers],
        per_node=instance.per_node[offers],
        most_on_node=instance.most_on_node[offers],
        interruptible=instance.interruptible[offers],
        total=np.array([w.replicas for w in workloads], np.int64),
        least_total=np.array([w.replicas for w in workloads], np.int64),
        bounds=np.stack([0 * instance.bounds[..., 0], 0 * instance.bounds[..., 1] + UNLIMITED], axis=-1),
        lands=np.zeros(len(workloads), np.bool_),
        shared_use=instance.shared_use[:, offers],
    )


def _pay(coupling: Coupling, prices: Floats, states: Ints, offers: Ints) -> tuple[Floats, Floats]:
    """Return the weights of the nodes in each state (B, R), and (J,) what the prices pay for one node at most."""
    instance = coupling.instance
    values = coupling.worth(prices)[states, offers]
    limits = divisible_limits(instance)[offers]
    rates, _, pays = divisible_loads(values, limits, instance.request, instance.capacity[offers])
    asked = np.zeros(len(instance.offers))
    np.add.at(asked, offers, pays)
    return rates, asked


def _floor_of(coupling: Coupling, prices: Floats, asked: Floats) -> float:
    """Return the floor that prices of the cover rows prove: what all replicas are paid wherever they may stand."""
    instance = coupling.instance
    rows = np.unique(coupling.cover[coupling.cover >= 0])
    lower = np.array(coupling.lower)
    paid = float((lower[rows] * prices[rows]).sum()) + _least_paid(coupling, prices, set(rows.tolist()))
    groups = len(instance.shared_most)
    paid += float((instance.shared_most * prices[len(prices) - groups :]).sum())
    return coupling.floor(paid, prices, np.zeros(len(instance.offers)), asked)


def _least_paid(coupling: Coupling, prices: Floats, rows: set[int]) -> float:
    """Return the least that the counts by zone can be paid: they stand where replicas are worth least."""
    first, batch = len(coupling.instance.offers), Columns()
    lower, upper = list(coupling.lower), list(coupling.upper)
    for row in rows:
        lower[row], upper[row] = -np.inf, np.inf
    for _, most, least, entries in tail_entries(coupling.columns)[first:]:
        cost = -sum(factor * prices[row] for row, factor in entries if row in rows)
        batch.add(float(cost), [(row, factor) for row, factor in entries if row not in rows], most, least)
    if not batch.costs:
        return 0.0
    model = LinearModel([-np.inf if low == 0.0 else low for low in lower], upper)
    model.add(batch)
    result = model.solve()
    return result.objective if result.optimal else 0.0


def _handed_out(instance: Instance, loads: Floats, member: Ints) -> Floats:
    """Return (J, I) amounts of each class from (J, G) amounts of the groups: large classes first, each split little.

    Where zones count, every zone hands out its own part.
    """
    apart = np.zeros((len(loads), len(member)))
    sizes = (instance.request / np.maximum(instance.capacity.max(axis=0, initial=1), 1)).max(axis=1)
    classes = defaultdict(list)
    for i in np.argsort(-sizes, kind="stable"):
        classes[int(member[i])].append(int(i))
    for group, members in classes.items():
        used = np.flatnonzero(loads[:, group] > 1e-9)
        free = instance.free(members[0])
        parts = [used] if free else [used[instance.zone[used] == zone] for zone in np.unique(instance.zone[used])]
        for offers in parts:
            share = loads[offers, group].sum() / max(loads[used, group].sum(), 1e-12)
            counts = [float(instance.least_total[i] * share) for i in members]
            _hand_out(apart, offers, loads[offers, group], members, counts, sizes)
    return apart


def _hand_out(
    apart: Floats, offers: Ints, amounts: Floats, members: list[int], counts: list[float], sizes: Floats
) -> None:
    """Give each offer its part of the classes' replicas, by size, one class after another."""
    total = float(sum(sizes[i] * count for i, count in zip(members, counts, strict=True)))
    room, place = amounts / max(amounts.sum(), 1e-12) * total, 0
    for i, left in zip(members, counts, strict=True):
        while left > 1e-9 and place < len(offers):
            step = min(left, room[place] / sizes[i]) if place + 1 < len(offers) else left
            apart[offers[place], i] += step
            left -= step
            room[place] -= step * sizes[i]
            place += int(room[place] <= 1e-9 * total and place + 1 < len(offers))
