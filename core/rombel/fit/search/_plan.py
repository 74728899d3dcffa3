"""Step 10. The compiled state of the search: nodes with their load, and the room left in every scenario that must hold.

A node keeps its free room once for each scenario in which it stands (see ``linking``). A replica takes room in
all of them; a replica that lands after the loss of zone z takes room on another node in scenario z only. So
replicas of different zones share the same kept-back hole, and what is feasible here is feasible for the checker.

A step of the search changes a few nodes. Before the first change of a node in a step its state is written to a log, so
that a step that did not pay is taken back at the price of what it touched and not of the whole plan.

Loops work on plain arrays taken out of the tuples: handing a tuple of arrays to an inner function costs more than
the work inside it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from rombel.compiled import inner

Ints = NDArray[np.int64]
Counts = NDArray[np.int16]
Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]

NOWHERE = -1
UNLIMITED = 10**9

MOST_POOLS, FEWEST_IN_POOL, FEWEST_IN_ZONE, EQUAL_ZONES, ANY_APART, EMPTY_NODES = range(6)
"""Places in ``Data.limits``: most pools, fewest nodes of a pool and of a pool in a zone; 1 where zones are to be equal, where classes stand
apart, and where any of these or the nodes that run in any case may ask for empty nodes."""

SLOTS, FIRST_EMPTY, STEP, LOGGED, LOOKED_AT, STOPPED = range(6)
"""Places in ``Plan.top``: slots in use, the lowest that may be empty, the step's number, entries of the log, nodes in the window, 1 once
somebody wishes to stop."""


class Data(NamedTuple):
    """What does not change. I classes, J offers, R resources, Z zones, S scenarios (1, or Z with landing), Q quotas.

    ``sure_landing`` (I,) classes that keep a share of interruptible nodes, and so land on others only; ``size`` (I,) orders the classes;
    ``replica_price`` (J, I) values a replica on an offer; ``room_price`` (S, J, R) prices room and
    ``room_price_sum`` (J, R) is its sum; ``reduced_cost`` (J, I) and ``landing_reduced_cost`` (S, J, I) say how much more the room of a
    replica is worth than the replica; ``appeal`` (J,) how often an offer is looked at when one replica needs a node; ``full``
    (J,) what a node's room is worth; ``best_replica_price`` (I,) most that a replica is worth anywhere; ``apart`` (I, I) classes that may
    not share a node; ``shared_use`` (Q, J) and ``shared_most`` (Q,) quotas over several offers; ``fewest`` (J,)
    nodes that run in any case; ``limits`` (6,) see ``MOST_POOLS`` and those after it.

    Both prices are duals of a relaxation, so the cost of any plan is the price of all replicas, plus the
    reduced cost of each, plus the room left over: the search makes reduced cost and room left over small.
    """

    request: Ints
    capacity: Ints
    price: Floats
    zone: Ints
    pool: Ints
    quota: Ints
    fewest: Ints
    per_node: Ints
    total: Ints
    window: Ints
    lands: Flags
    sure_landing: Flags
    interruptible: Flags
    interruptible_most: Ints
    size: Floats
    replica_price: Floats
    room_price: Floats
    room_price_sum: Floats
    reduced_cost: Floats
    landing_reduced_cost: Floats
    appeal: Floats
    full: Floats
    best_replica_price: Floats
    apart: Flags
    shared_use: Ints
    shared_most: Ints
    limits: Ints


class Plan(NamedTuple):
    """What is being built. N slots for nodes.

    ``offer`` (N,) or NOWHERE; ``free`` (N, S, R); ``least`` (N, R) its minimum over the scenarios in which the node
    stands; ``slack`` (N,) what that is worth; ``held`` (N,) replicas and landings on it; ``base`` (N, I) replicas;
    ``land`` (N, S, I) replicas that land (no scenarios without landing); ``zones`` (I, Z) counts; ``on_interruptible``
    (I,); ``nodes`` (J,); ``pools`` (P,); ``used`` (Q,) of the quotas; ``wait`` (I,) replicas and ``wait_land`` (S, I)
    landings still to be placed; ``top`` (6,) see ``SLOTS`` and those after it. ``stamp`` (N,)
    step that last changed a node; ``dirty`` (N,) changed since the best was kept;
    ``window`` (N,) nodes looked at in this step, ``in_window`` (N,) its step. ``log_...`` what nodes were before.
    """

    offer: Ints
    free: Ints
    least: Ints
    slack: Floats
    held: Ints
    base: Counts
    land: Counts
    zones: Ints
    on_interruptible: Ints
    nodes: Ints
    pools: Ints
    used: Ints
    wait: Ints
    wait_land: Ints
    top: Ints
    stamp: Ints
    dirty: Flags
    window: Ints
    in_window: Ints
    log_node: Ints
    log_offer: Ints
    log_free: Ints
    log_base: Counts
    log_land: Counts


class Kept(NamedTuple):
    """The best plan so far, by slot: ``offer`` (N,), ``base`` (N, I), ``land`` (N, S, I), and the sums over slots."""

    offer: Ints
    base: Counts
    land: Counts
    zones: Ints
    on_interruptible: Ints
    nodes: Ints
    pools: Ints
    used: Ints
    wait: Ints
    wait_land: Ints
    top: Ints


@inner
def touch(plan: Plan, node: int) -> None:
    """Write a node to the log before its first change in a step; outside of steps only mark it as changed."""
    step, entries = plan.top[STEP], plan.top[LOGGED]
    plan.dirty[node] = True
    # Outside of steps there is nothing to take back, and a node is logged once a step.
    if step == 0 or plan.stamp[node] == step:
        return
    plan.stamp[node] = step
    if entries < len(plan.log_node):
        plan.log_node[entries] = node
        plan.log_offer[entries] = plan.offer[node]
        if plan.offer[node] != NOWHERE:
            plan.log_free[entries] = plan.free[node]
            plan.log_base[entries] = plan.base[node]
            plan.log_land[entries] = plan.land[node]
    # Counted on past the end of the log: that is how the step learns that it cannot be taken back.
    plan.top[LOGGED] += 1


@inner
def refresh(data: Data, plan: Plan, node: int) -> None:
    """Recompute the least room of a node over the scenarios in which it stands, and the worth of its free room."""
    offer, free, least, room_price = plan.offer[node], plan.free, plan.least, data.room_price
    scenarios, zone, room_value = free.shape[1], data.zone[offer], 0.0
    for r in range(free.shape[2]):
        room = data.capacity[offer, r]
        # A node takes no part in the scenario in which its own zone is lost.
        for scenario in range(scenarios):
            if scenarios == 1 or scenario != zone:
                room = min(room, free[node, scenario, r])
                room_value += room_price[scenario, offer, r] * free[node, scenario, r]
        # What fits in every scenario is what fits at all.
        least[node, r] = room
    plan.slack[node] = room_value


@njit(cache=True, nogil=True)
def put_base(data: Data, plan: Plan, node: int, i: int, count: int) -> None:
    """Put replicas on the node; a negative count takes them away."""
    touch(plan, node)
    offer, free, request = plan.offer[node], plan.free, data.request
    zone, scenarios = data.zone[offer], plan.free.shape[1]
    plan.base[node, i] += count
    plan.held[node] += count
    plan.zones[i, zone] += count
    if data.interruptible[offer]:
        plan.on_interruptible[i] += count
    # Replicas that stand use room in every scenario that the node survives.
    for scenario in range(scenarios):
        if scenarios == 1 or scenario != zone:
            for r in range(request.shape[1]):
                free[node, scenario, r] -= count * request[i, r]
    refresh(data, plan, node)


@njit(cache=True, nogil=True)
def put_landing(data: Data, plan: Plan, node: int, scenario: int, i: int, count: int) -> None:
    """Let replicas lost with a zone land on the node; a negative count takes them away."""
    touch(plan, node)
    plan.land[node, scenario, i] += count
    plan.held[node] += count
    # What lands uses room in its scenario alone.
    for r in range(data.request.shape[1]):
        plan.free[node, scenario, r] -= count * data.request[i, r]
    refresh(data, plan, node)


@njit(cache=True, nogil=True)
def may_open(data: Data, plan: Plan, offer: int) -> bool:
    """Return whether the quotas and the most pools allow one more node of the offer."""
    if plan.nodes[offer] >= data.quota[offer]:
        return False
    for group in range(len(data.shared_most)):
        if plan.used[group] + data.shared_use[group, offer] > data.shared_most[group]:
            return False
    # One more pool matters only where pools are limited and this one does not run yet.
    if data.limits[MOST_POOLS] >= UNLIMITED or plan.pools[data.pool[offer]] > 0:
        return True
    used = 0
    for pool in range(len(plan.pools)):
        runs = plan.pools[pool] > 0
        # Pools that run in any case count before their first node is opened.
        if data.limits[EMPTY_NODES] > 0:
            for other in range(len(data.fewest)):
                runs |= data.pool[other] == pool and data.fewest[other] > 0
        if runs and pool == data.pool[offer]:
            return True
        used += runs
    return used < data.limits[MOST_POOLS]


@njit(cache=True, nogil=True)
def _count(data: Data, plan: Plan, offer: int, change: int) -> None:
    """Count one node more or less of an offer."""
    plan.nodes[offer] += change
    plan.pools[data.pool[offer]] += change
    for group in range(len(data.shared_most)):
        plan.used[group] += change * data.shared_use[group, offer]


@njit(cache=True, nogil=True)
def open_node(data: Data, plan: Plan, offer: int) -> int:
    """Return the slot of a new, empty node; NOWHERE when all slots are taken."""
    # The lowest free slot is kept in mind, so that no search begins from the first slot.
    node = plan.top[FIRST_EMPTY]
    while node < plan.top[SLOTS] and plan.offer[node] != NOWHERE:
        node += 1
    plan.top[FIRST_EMPTY] = node
    if node == len(plan.offer):
        return NOWHERE
    touch(plan, node)
    plan.top[SLOTS] = max(plan.top[SLOTS], node + 1)
    plan.offer[node] = offer
    plan.base[node] = 0
    plan.land[node] = 0
    plan.held[node] = 0
    for scenario in range(plan.free.shape[1]):
        plan.free[node, scenario] = data.capacity[offer]
    _count(data, plan, offer, 1)
    refresh(data, plan, node)
    look_at(plan, node)
    return node


@inner
def look_at(plan: Plan, node: int) -> None:
    """Add a node to the window of this step."""
    # The step's number marks what is in the window already; nothing has to be cleared between steps.
    if plan.in_window[node] != plan.top[STEP] + 1:
        plan.in_window[node] = plan.top[STEP] + 1
        plan.window[plan.top[LOOKED_AT]] = node
        plan.top[LOOKED_AT] += 1


@inner
def close_node(data: Data, plan: Plan, node: int) -> None:
    """Remove a node that carries nothing."""
    touch(plan, node)
    _count(data, plan, plan.offer[node], -1)
    plan.offer[node] = NOWHERE
    plan.top[FIRST_EMPTY] = min(plan.top[FIRST_EMPTY], node)
    # Empty slots at the end are given back, so that loops over slots stay short.
    while plan.top[SLOTS] > 0 and plan.offer[plan.top[SLOTS] - 1] == NOWHERE:
        plan.top[SLOTS] -= 1


@inner
def swap_node(data: Data, plan: Plan, node: int, offer: int) -> None:
    """Turn a node into one of another offer of its zone that carries the same."""
    touch(plan, node)
    own = plan.offer[node]
    # The room in every scenario changes by the difference of the two capacities.
    plan.free[node] += data.capacity[offer] - data.capacity[own]
    plan.offer[node] = offer
    _count(data, plan, own, -1)
    _count(data, plan, offer, 1)
    refresh(data, plan, node)


@njit(cache=True, nogil=True)
def zone_room(data: Data, plan: Plan, i: int, zone: int) -> int:
    """Return how many more replicas the zone takes with the windows of all zones still reachable."""
    placed, owed = 0, 0
    for other in range(plan.zones.shape[1]):
        # What other zones are still owed by their windows may not be used up here.
        placed += plan.zones[i, other]
        if other != zone:
            owed += max(0, data.window[i, other, 0] - plan.zones[i, other])
    room = min(data.window[i, zone, 1] - plan.zones[i, zone], data.total[i] - placed - owed)
    return max(0, room)


@inner
def kind_room(data: Data, plan: Plan, i: int, offer: int) -> int:
    """Return how many more replicas the share on interruptible nodes allows on this offer."""
    if not data.interruptible[offer]:
        return UNLIMITED
    return max(0, data.interruptible_most[i] - plan.on_interruptible[i])


@inner
def parted(data: Data, plan: Plan, node: int, i: int, scenario: int) -> bool:
    """Return whether the node carries, or receives in the scenario (NOWHERE: in any), a class that stands apart from i."""
    if data.limits[ANY_APART] == 0:
        return False
    # Few problems have such rules, so one flag spares the loop.
    for other in range(data.apart.shape[0]):
        if data.apart[i, other]:
            if plan.base[node, other] > 0:
                return True
            for landing in range(plan.land.shape[1]):
                if scenario in (NOWHERE, landing) and plan.land[node, landing, other] > 0:
                    return True
    return False


@njit(cache=True, nogil=True)
def base_room(data: Data, plan: Plan, node: int, i: int) -> int:
    """Return how many replicas of a class the node still takes, in every scenario."""
    offer, taken = plan.offer[node], 0
    # Most that land in any scenario share the node's limit with what stands.
    for scenario in range(plan.land.shape[1]):
        if scenario != data.zone[offer]:
            taken = max(taken, plan.land[node, scenario, i])
    room = data.per_node[offer, i] - plan.base[node, i] - taken
    for r in range(data.request.shape[1]):
        if data.request[i, r] > 0:
            room = min(room, plan.least[node, r] // data.request[i, r])
    if room > 0 and parted(data, plan, node, i, NOWHERE):
        return 0
    return min(room, kind_room(data, plan, i, offer))


@inner
def landing_room(data: Data, plan: Plan, node: int, scenario: int, i: int) -> int:
    """Return how many replicas lost with the zone of this scenario may land on the node."""
    if data.sure_landing[i] and data.interruptible[plan.offer[node]]:
        return 0
    room = data.per_node[plan.offer[node], i] - plan.base[node, i] - plan.land[node, scenario, i]
    for r in range(data.request.shape[1]):
        if data.request[i, r] > 0:
            room = min(room, plan.free[node, scenario, r] // data.request[i, r])
    if room > 0 and parted(data, plan, node, i, scenario):
        return 0
    return room


@inner
def take_sums(source: Kept, target: Kept) -> None:
    """Copy what is counted over all slots."""
    target.zones[:] = source.zones
    target.on_interruptible[:] = source.on_interruptible
    target.nodes[:] = source.nodes
    target.pools[:] = source.pools
    target.used[:] = source.used
    target.wait[:] = source.wait
    target.wait_land[:] = source.wait_land
    target.top[SLOTS] = source.top[SLOTS]
    target.top[FIRST_EMPTY] = source.top[FIRST_EMPTY]


@njit(cache=True, nogil=True)
def sums(plan: Plan) -> Kept:
    """Return a plan's arrays as a kept one, shared and not copied."""
    return Kept(
        plan.offer,
        plan.base,
        plan.land,
        plan.zones,
        plan.on_interruptible,
        plan.nodes,
        plan.pools,
        plan.used,
        plan.wait,
        plan.wait_land,
        plan.top,
    )


@njit(cache=True, nogil=True)
def keep(plan: Plan, best: Kept) -> None:
    """Copy what has changed since the best was kept."""
    for node in range(max(plan.top[SLOTS], best.top[SLOTS])):
        if plan.dirty[node]:
            plan.dirty[node] = False
            best.offer[node] = plan.offer[node]
            best.base[node] = plan.base[node]
            best.land[node] = plan.land[node]
    take_sums(sums(plan), best)


@njit(cache=True, nogil=True)
def reload(data: Data, plan: Plan, best: Kept) -> None:
    """Set the plan to the best."""
    for node in range(max(plan.top[SLOTS], best.top[SLOTS])):
        if plan.dirty[node]:
            plan.dirty[node] = False
            plan.offer[node] = best.offer[node]
            plan.base[node] = best.base[node]
            plan.land[node] = best.land[node]
    take_sums(best, sums(plan))
    plan.top[FIRST_EMPTY] = 0
    for node in range(plan.top[SLOTS]):
        if plan.offer[node] != NOWHERE:
            recount(data, plan, node)


@inner
def recount(data: Data, plan: Plan, node: int) -> None:
    """Compute a node's free room and what it holds from its replicas and landings."""
    offer, request = plan.offer[node], data.request
    plan.held[node] = np.sum(plan.base[node]) + np.sum(plan.land[node])
    for scenario in range(plan.free.shape[1]):
        for r in range(request.shape[1]):
            room = data.capacity[offer, r]
            for i in range(len(request)):
                count = plan.base[node, i]
                if plan.land.shape[1] > 0:
                    count += plan.land[node, scenario, i]
                room -= count * request[i, r]
            plan.free[node, scenario, r] = room
    if plan.free.shape[1] > 1:
        plan.free[node, data.zone[offer]] = data.capacity[offer]
    refresh(data, plan, node)


@njit(cache=True, nogil=True)
def begin_step(plan: Plan, before: Kept, step: int) -> None:
    """Open the log of a step; ``before`` receives the sums."""
    plan.top[STEP] = step
    plan.top[LOGGED] = 0
    plan.top[LOOKED_AT] = 0
    take_sums(sums(plan), before)


@njit(cache=True, nogil=True)
def undo_step(data: Data, plan: Plan, before: Kept) -> bool:
    """Take back the step; False when it touched more nodes than the log holds."""
    if plan.top[LOGGED] > len(plan.log_node):
        return False
    for entry in range(plan.top[LOGGED]):
        node = plan.log_node[entry]
        plan.offer[node] = plan.log_offer[entry]
        if plan.offer[node] != NOWHERE:
            plan.free[node] = plan.log_free[entry]
            plan.base[node] = plan.log_base[entry]
            plan.land[node] = plan.log_land[entry]
            plan.held[node] = np.sum(plan.base[node]) + np.sum(plan.land[node])
            refresh(data, plan, node)
    take_sums(before, sums(plan))
    plan.top[LOGGED] = 0
    return True
