"""The compiled state of the search: nodes with their load, and the room left in every state that must hold.

A node keeps its free room once for each state in which it stands (see ``coupling``). A replica takes room in
all of them; a replica that lands after the loss of zone z takes room on another node in state z only. So
replicas of different zones share the same kept-back hole, and what is feasible here is feasible for the checker.

Loops work on plain arrays taken out of the tuples: handing a tuple of arrays to an inner function costs more than
the work inside it.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
Flags = NDArray[np.bool_]

NOWHERE = -1
UNLIMITED = 10**9


class Given(NamedTuple):
    """What does not change. I classes, J offers, R resources, Z zones, S states (1, or Z with landing).

    ``size`` (I,) orders the classes; ``worth`` (J, I) values a replica on an offer; ``weight`` (S, J, R) prices room;
    ``waste`` (J, I) and ``waste_land`` (S, J, I) say how much more the room of a replica is worth than the replica;
    ``limits`` holds most pools, fewest nodes per pool, fewest per zone, and 1 where zones are to be equal.

    Worths and weights are duals of a relaxation, so the cost of any plan is the worth of all replicas, plus the
    waste of each, plus the room left over: the search makes waste and room left over small.
    """

    request: Ints
    capacity: Ints
    price: Floats
    zone: Ints
    pool: Ints
    quota: Ints
    per_node: Ints
    total: Ints
    window: Ints
    lands: Flags
    interruptible: Flags
    interruptible_most: Ints
    size: Floats
    worth: Floats
    weight: Floats
    waste: Floats
    waste_land: Floats
    limits: Ints


class Plan(NamedTuple):
    """What is being built. N slots for nodes.

    ``offer`` (N,) or NOWHERE; ``free`` (N, S, R); ``least`` (N, R) its minimum over the states in which the node
    stands; ``slack`` (N,) what that is worth; ``base`` (N, I) replicas; ``land`` (N, S, I) replicas that
    land; ``zones`` (I, Z) counts; ``on_interruptible`` (I,); ``nodes`` (J,); ``pools`` (P,); ``top`` (1,) slots in
    use; ``wait`` (I,) replicas and ``wait_land`` (S, I) landings still to be placed.
    """

    offer: Ints
    free: Ints
    least: Ints
    slack: Floats
    base: Ints
    land: Ints
    zones: Ints
    on_interruptible: Ints
    nodes: Ints
    pools: Ints
    top: Ints
    wait: Ints
    wait_land: Ints


@njit(cache=True, nogil=True)
def refresh(given: Given, plan: Plan, node: int) -> None:
    """Recompute the least room of a node over the states in which it stands, and the worth of its free room."""
    offer, free, least, weight = plan.offer[node], plan.free, plan.least, given.weight
    states, zone, worth = free.shape[1], given.zone[offer], 0.0
    for r in range(free.shape[2]):
        room = given.capacity[offer, r]
        for state in range(states):
            if states == 1 or state != zone:
                room = min(room, free[node, state, r])
                worth += weight[state, offer, r] * free[node, state, r]
        least[node, r] = room
    plan.slack[node] = worth


@njit(cache=True, nogil=True)
def put_base(given: Given, plan: Plan, node: int, i: int, count: int) -> None:
    """Put replicas on the node; a negative count takes them away."""
    offer, free, request = plan.offer[node], plan.free, given.request
    zone, states = given.zone[offer], plan.free.shape[1]
    plan.base[node, i] += count
    plan.zones[i, zone] += count
    if given.interruptible[offer]:
        plan.on_interruptible[i] += count
    for state in range(states):
        if states == 1 or state != zone:
            for r in range(request.shape[1]):
                free[node, state, r] -= count * request[i, r]
    refresh(given, plan, node)


@njit(cache=True, nogil=True)
def put_landing(given: Given, plan: Plan, node: int, state: int, i: int, count: int) -> None:
    """Let replicas lost with a zone land on the node; a negative count takes them away."""
    plan.land[node, state, i] += count
    for r in range(given.request.shape[1]):
        plan.free[node, state, r] -= count * given.request[i, r]
    refresh(given, plan, node)


@njit(cache=True, nogil=True)
def may_open(given: Given, plan: Plan, offer: int) -> bool:
    """Return whether quota and the most pools allow one more node of the offer."""
    if plan.nodes[offer] >= given.quota[offer]:
        return False
    if plan.pools[given.pool[offer]] > 0:
        return True
    used = 0
    for pool in range(len(plan.pools)):
        used += plan.pools[pool] > 0
    return used < given.limits[0]


@njit(cache=True, nogil=True)
def open_node(given: Given, plan: Plan, offer: int) -> int:
    """Return the slot of a new, empty node; NOWHERE when all slots are taken."""
    node = 0
    while node < plan.top[0] and plan.offer[node] != NOWHERE:
        node += 1
    if node == len(plan.offer):
        return NOWHERE
    plan.top[0] = max(plan.top[0], node + 1)
    plan.offer[node] = offer
    plan.base[node] = 0
    plan.land[node] = 0
    for state in range(plan.free.shape[1]):
        plan.free[node, state] = given.capacity[offer]
    plan.nodes[offer] += 1
    plan.pools[given.pool[offer]] += 1
    refresh(given, plan, node)
    return node


@njit(cache=True, nogil=True)
def close_node(given: Given, plan: Plan, node: int) -> None:
    """Remove a node that carries nothing."""
    offer = plan.offer[node]
    plan.nodes[offer] -= 1
    plan.pools[given.pool[offer]] -= 1
    plan.offer[node] = NOWHERE
    while plan.top[0] > 0 and plan.offer[plan.top[0] - 1] == NOWHERE:
        plan.top[0] -= 1


@njit(cache=True, nogil=True)
def zone_room(given: Given, plan: Plan, i: int, zone: int) -> int:
    """Return how many more replicas the zone takes with the windows of all zones still reachable."""
    placed, owed = 0, 0
    for other in range(plan.zones.shape[1]):
        placed += plan.zones[i, other]
        if other != zone:
            owed += max(0, given.window[i, other, 0] - plan.zones[i, other])
    room = min(given.window[i, zone, 1] - plan.zones[i, zone], given.total[i] - placed - owed)
    return max(0, room)


@njit(cache=True, nogil=True)
def kind_room(given: Given, plan: Plan, i: int, offer: int) -> int:
    """Return how many more replicas the share on interruptible nodes allows on this offer."""
    if not given.interruptible[offer]:
        return UNLIMITED
    return max(0, given.interruptible_most[i] - plan.on_interruptible[i])


@njit(cache=True, nogil=True)
def base_room(given: Given, plan: Plan, node: int, i: int) -> int:
    """Return how many replicas of a class the node still takes, in every state."""
    offer, states = plan.offer[node], plan.free.shape[1]
    taken = 0
    for state in range(states):
        if states == 1 or state != given.zone[offer]:
            taken = max(taken, plan.land[node, state, i])
    room = given.per_node[offer, i] - plan.base[node, i] - taken
    for r in range(given.request.shape[1]):
        if given.request[i, r] > 0:
            room = min(room, plan.least[node, r] // given.request[i, r])
    return min(room, kind_room(given, plan, i, offer))


@njit(cache=True, nogil=True)
def landing_room(given: Given, plan: Plan, node: int, state: int, i: int) -> int:
    """Return how many replicas lost with the zone of this state may land on the node."""
    room = given.per_node[plan.offer[node], i] - plan.base[node, i] - plan.land[node, state, i]
    for r in range(given.request.shape[1]):
        if given.request[i, r] > 0:
            room = min(room, plan.free[node, state, r] // given.request[i, r])
    return room


@njit(cache=True, nogil=True)
def copy_plan(source: Plan, target: Plan) -> None:
    """Copy a plan over another of the same shape."""
    top = max(source.top[0], target.top[0])
    target.offer[:top] = source.offer[:top]
    target.free[:top] = source.free[:top]
    target.least[:top] = source.least[:top]
    target.slack[:top] = source.slack[:top]
    target.base[:top] = source.base[:top]
    target.land[:top] = source.land[:top]
    target.zones[:] = source.zones
    target.on_interruptible[:] = source.on_interruptible
    target.nodes[:] = source.nodes
    target.pools[:] = source.pools
    target.top[:] = source.top
    target.wait[:] = source.wait
    target.wait_land[:] = source.wait_land
