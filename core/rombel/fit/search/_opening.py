"""Step 10. Compiled: which node to open for what waits, and what to fill it with.

Offers are compared by their price for the worth of what a knapsack puts on them, at the prices of the relaxation.
"""

from __future__ import annotations

import numpy as np
from numba import njit

from rombel.compiled import inner
from rombel.fit.bounds.knapsack import ordered_pattern
from rombel.fit.search._padding import PENALTY, padding
from rombel.fit.search._plan import (
    ANY_APART,
    EMPTY_NODES,
    EQUAL_ZONES,
    FEWEST_IN_POOL,
    MOST_POOLS,
    NOWHERE,
    UNLIMITED,
    Data,
    Flags,
    Floats,
    Ints,
    Plan,
    base_room,
    kind_room,
    landing_room,
    may_open,
    open_node,
    put_base,
    put_landing,
    zone_room,
)

FITTING = 0.05
"""A class is of an offer's own kind while it wastes no more than this share of its worth there."""
EFFORT = 200
"""Branches that a knapsack looks at when a node is filled."""
NEARLY_FULL = 0.002
"""What such a knapsack may leave, as a share."""
NEWCOMER = 1.0
"""How much dearer a pool that does not run yet may seem where pools are limited."""
PAID = 0.05
"""What is left of the price of a node that the limits ask for anyway: nearly nothing."""
RISE = 0.2
"""At most so much dearer seems a node that makes every other zone of its pool grow too."""
PROMISING = 10
"""Offers looked at before a node is opened: those that could give most worth for their price."""
DOUBT = 0.03
"""How much dearer an offer may seem by chance when these are chosen."""
TRIED = 2
"""Offers by each of two estimates that a knapsack is tried on before a node is opened."""


@njit(cache=True, nogil=True)
def _waiting(data: Data, plan: Plan, order: Ints, first: int) -> tuple[Ints, Ints]:
    """Return the classes that still wait, ``first`` before all, and how many places each needs."""
    classes, counts = np.zeros(len(order) + 1, np.int64), np.zeros(len(order) + 1, np.int64)
    # The class the node is opened for comes first, whatever its size.
    classes[0], counts[0], size = first, 1, 1
    for i in order:
        count = plan.wait[i]
        if data.lands[i]:
            # Of replicas that land, their landings need room too: half as much again, as they share it over zones.
            count += (count + 1) // 2
            for scenario in range(plan.land.shape[1]):
                count += plan.wait_land[scenario, i]
        if count > 0:
            classes[size], counts[size] = i, count
            size += 1
    return classes[:size], counts[:size]


@njit(cache=True, nogil=True)
def _filled(data: Data, offer: int, classes: Ints, counts: Ints, room: Ints, load: Ints) -> float:
    """Return the worth of what a new node of the offer would take of all that waits, its own kind first.

    ``room`` (R,) is scratch; ``load`` (places of ``classes``) receives what it takes.
    """
    request, per_node, width = data.request, data.per_node, len(room)
    node_value = 0.0
    for r in range(width):
        room[r] = data.capacity[offer, r]
    # Classes that lose nothing on this offer fill it first; the others take what is left.
    for own_kind in (True, False):
        for index in range(len(classes)):
            i = classes[index]
            value = data.replica_price[offer, i]
            # The first class has had its turn in the first round.
            if index > 0 and own_kind != (data.reduced_cost[offer, i] <= FITTING * value):
                continue
            if index == 0 and not own_kind:
                continue
            count = min(counts[index], per_node[offer, i])
            for r in range(width):
                if request[i, r] > 0:
                    count = min(count, room[r] // request[i, r])
            load[index] = count
            for r in range(width):
                room[r] -= count * request[i, r]
            node_value += count * value
    return node_value


@inner
def best_offer(data: Data, plan: Plan, i: int, allowed: Flags, order: Ints, noise: float, landing: bool) -> int:
    """Return the offer in an allowed zone that gives most worth for its price, to run there or for a landing; NOWHERE: none may open.

    Offers that the relaxation does not think much of are looked at by chance; all of them when none else serves.
    """
    best, least = NOWHERE, PENALTY
    classes, counts = _waiting(data, plan, order, i)
    room, load = np.zeros(data.capacity.shape[1], np.int64), np.zeros(len(classes), np.int64)
    # Where limits ask for nodes anyway, those cost next to nothing more.
    limited = data.limits[EMPTY_NODES] > 0
    paid = padding(data, plan) if limited else np.zeros(1, np.int64)
    # Offers of little appeal are mostly skipped; if nothing is found all are looked at in a second turn.
    for turn in range(2):
        for offer in range(len(data.price)):
            if data.per_node[offer, i] == 0 or not allowed[data.zone[offer]]:
                continue
            if turn == 0 and np.random.random() > data.appeal[offer]:
                continue
            if not may_open(data, plan, offer) or kind_room(data, plan, i, offer) == 0:
                continue
            if landing and data.sure_landing[i] and data.interruptible[offer]:
                continue
            # Price for worth: the least is the node to buy.
            rate = data.price[offer] / (1e-9 + _filled(data, offer, classes, counts, room, load))
            rate *= 1.0 + noise * np.random.random()
            if (data.limits[FEWEST_IN_POOL] > 1 or data.limits[MOST_POOLS] < UNLIMITED) and plan.pools[
                data.pool[offer]
            ] == 0:
                rate *= 1.0 + NEWCOMER * np.random.random()
            if limited and paid[offer] > 0:
                # A node that the limits will ask for is paid already.
                rate *= PAID
            elif data.limits[EQUAL_ZONES]:
                # Where zones are equal, a node raises every other zone of its pool as well.
                rate *= 1.0 + RISE * np.random.random()
            if rate < least:
                best, least = offer, rate
        if best != NOWHERE:
            break
    return best


@inner
def _candidates(data: Data, plan: Plan, i: int, allowed: Flags, order: Ints, noise: float) -> Ints:
    """Return a few offers that a knapsack should be tried on, by two estimates of price for worth; NOWHERE fills up.

    One estimate fills greedily; the other takes what the node's room is worth, or all that waits if that is less.
    """
    classes, counts = _waiting(data, plan, order, i)
    room, load = np.zeros(data.capacity.shape[1], np.int64), np.zeros(len(classes), np.int64)
    # What waits is worth so much at most, however large a node is.
    waiting = 0.0
    for index in range(1, len(classes)):
        waiting += counts[index] * data.best_replica_price[classes[index]]
    # The cheap estimate chooses ten, the filling of those decides on a few, and only these get a knapsack.
    promising, bounds = np.full(PROMISING, NOWHERE), np.full(PROMISING, PENALTY)
    for offer in range(len(data.price)):
        if data.per_node[offer, i] == 0 or not allowed[data.zone[offer]]:
            continue
        rate = data.price[offer] / (1e-9 + min(data.full[offer], waiting)) * (1.0 + DOUBT * np.random.random())
        # The estimate comes before the limits, which cost more to look at.
        if rate < np.max(bounds) and may_open(data, plan, offer) and kind_room(data, plan, i, offer) > 0:
            _remember(promising, bounds, offer, rate)
    chosen, rates = np.full(2 * TRIED, NOWHERE), np.full(2 * TRIED, PENALTY)
    for offer in promising:
        if offer == NOWHERE:
            continue
        filled = _filled(data, offer, classes, counts, room, load)
        bound = min(data.full[offer], waiting)
        _remember(chosen[:TRIED], rates[:TRIED], offer, _seeming(data, plan, offer, filled, noise))
        _remember(chosen[TRIED:], rates[TRIED:], offer, _seeming(data, plan, offer, bound, noise))
    return chosen


@inner
def _seeming(data: Data, plan: Plan, offer: int, node_value: float, noise: float) -> float:
    """Return price for worth with some noise; a pool that does not run yet seems dearer where pools are limited."""
    rate: float = data.price[offer] / (1e-9 + node_value) * (1.0 + noise * np.random.random())
    if (data.limits[FEWEST_IN_POOL] > 1 or data.limits[MOST_POOLS] < UNLIMITED) and plan.pools[data.pool[offer]] == 0:
        rate *= 1.0 + NEWCOMER * np.random.random()
    return rate


@inner
def _remember(chosen: Ints, rates: Floats, offer: int, rate: float) -> None:
    """Keep the offer if it is among the best so far."""
    # The worst of the few is replaced; the order of the rest does not matter.
    worst = np.argmax(rates)
    if rate < rates[worst]:
        chosen[worst], rates[worst] = offer, rate


@inner
def _knapsack(
    data: Data, offer: int, classes: Ints, most: Ints, room: Ints, room_price: Floats, noise: float
) -> tuple[Ints, float]:
    """Return how many of each of the classes a node should take: its own kind first, large ones before small."""
    size, width = len(classes), len(room)
    request, values, rating = np.zeros((size, width), np.int64), np.zeros(size), np.zeros(size)
    for index in range(size):
        i = classes[index]
        for r in range(width):
            request[index, r] = data.request[i, r]
        values[index] = data.replica_price[offer, i]
        # Branches start with large classes; small ones fill what is left.
        rating[index] = -data.size[i] * (1.0 + 4.0 * noise * np.random.random())
        if data.reduced_cost[offer, i] > FITTING * values[index]:
            rating[index] += PENALTY
    load, value, _ = ordered_pattern(values, request, room, most, room_price, np.argsort(rating), EFFORT, NEARLY_FULL)
    return load, value


@inner
def _load_for(data: Data, plan: Plan, offer: int, share: float, part: float, noise: float) -> tuple[Ints, Ints, float]:
    """Return classes, how many of each a new node of the offer would take of what waits, and what they are worth.

    With ``part`` above 0 no class gives more than its even part, so that what is left for the last nodes stays as mixed
    as the whole.
    """
    zone, room, size, waiting = data.zone[offer], data.capacity[offer].copy(), 0, 0.0
    classes, most = np.zeros(len(plan.wait), np.int64), np.zeros(len(plan.wait), np.int64)
    for i in range(len(plan.wait)):
        if plan.wait[i] > 0 and data.per_node[offer, i] > 0:
            count = min(plan.wait[i], zone_room(data, plan, i, zone), data.per_node[offer, i])
            # No more than the zone, the share on interruptible nodes and the node itself allow.
            count = min(count, kind_room(data, plan, i, offer))
            if count > 0:
                classes[size], most[size] = i, count
                waiting += plan.wait[i] * data.replica_price[offer, i]
                size += 1
    classes, most = classes[:size], most[:size]
    # Where replicas land a part of each node is left free for them.
    if plan.land.shape[1] > 0:
        for r in range(len(room)):
            room[r] = int(room[r] * share)
    if part > 0.0:
        # An even part of everything that waits, so that the last nodes do not get only what nobody wanted.
        even = min(1.0, part * data.price[offer] / (waiting + 1e-9))
        for index in range(size):
            most[index] = min(most[index], int(np.ceil(plan.wait[classes[index]] * even)))
    load, value = _knapsack(data, offer, classes, most, room, data.room_price_sum[offer], noise)
    return classes, load, value


@njit(cache=True, nogil=True)
def put_waiting(data: Data, plan: Plan, node: int, i: int, count: int) -> None:
    """Put replicas that wait on a node; where they land after a loss waits from then on."""
    put_base(data, plan, node, i, count)
    plan.wait[i] -= count
    if data.lands[i]:
        # Landings wait from the moment their replica stands.
        plan.wait_land[data.zone[plan.offer[node]], i] += count


@njit(cache=True, nogil=True)
def top_up(data: Data, plan: Plan, node: int) -> None:
    """Fill the room left on a node with what waits and loses nothing there."""
    offer = plan.offer[node]
    zone, size = data.zone[offer], 0
    classes, most = np.zeros(len(plan.wait), np.int64), np.zeros(len(plan.wait), np.int64)
    for i in range(len(plan.wait)):
        # Only what loses nothing here: anything else is better placed by the steps that follow.
        if plan.wait[i] > 0 and data.reduced_cost[offer, i] <= FITTING * data.replica_price[offer, i]:
            count = min(plan.wait[i], zone_room(data, plan, i, zone), base_room(data, plan, node, i))
            if count > 0:
                classes[size], most[size] = i, count
                size += 1
    room = plan.least[node].copy()
    load, _ = _knapsack(data, offer, classes[:size], most[:size], room, data.room_price_sum[offer], 0.1)
    for index in np.flatnonzero(load):
        i = classes[index]
        # The knapsack knows no rules between classes, so the room is asked again.
        count = min(load[index], base_room(data, plan, node, i))
        if count > 0:
            put_waiting(data, plan, node, i, count)


@njit(cache=True, nogil=True)
def open_filled(data: Data, plan: Plan, i: int, order: Ints, noise: float, share: float) -> bool:
    """Open the node whose knapsack gives most worth for its price, and fill it; return whether one took anything."""
    allowed = np.zeros(plan.zones.shape[1], np.bool_)
    for zone in range(len(allowed)):
        allowed[zone] = zone_room(data, plan, i, zone) > 0
    offers = _candidates(data, plan, i, allowed, order, noise)
    # Half of the nodes take what is most worthy, the others a mixture like all that waits.
    part = 0.6 + 2.0 * np.random.random() if np.random.random() < 0.5 else 0.0
    best, least = NOWHERE, PENALTY
    best_classes, best_load = np.zeros(0, np.int64), np.zeros(0, np.int64)
    for index in range(len(offers)):
        offer = offers[index]
        # Both estimates may name the same offer.
        if offer == NOWHERE or (index >= TRIED and np.any(offers[:TRIED] == offer)):
            continue
        classes, load, value = _load_for(data, plan, offer, share, part, noise)
        rate = _seeming(data, plan, offer, value, noise)
        if value > 0.0 and rate < least:
            best, least, best_classes, best_load = offer, rate, classes, load
    if best == NOWHERE:
        return False
    node = open_node(data, plan, best)
    if node == NOWHERE:
        return False
    for taken in np.flatnonzero(best_load):
        chosen, count = best_classes[taken], best_load[taken]
        # Two classes of the load may stand apart from each other.
        if data.limits[ANY_APART] and base_room(data, plan, node, chosen) < count:
            continue
        put_waiting(data, plan, node, chosen, count)
    return True


@inner
def fill_landings(data: Data, plan: Plan, node: int, noise: float) -> None:
    """Let on a new node land, in every scenario in which it stands, the most worthy load of what waits to land."""
    offer = plan.offer[node]
    for scenario in range(plan.land.shape[1]):
        # In the scenario of its own zone the node is gone.
        if scenario == data.zone[offer]:
            continue
        classes, size = np.zeros(len(plan.wait), np.int64), 0
        most = np.zeros(len(plan.wait), np.int64)
        for i in range(len(plan.wait)):
            if plan.wait_land[scenario, i] > 0:
                count = min(plan.wait_land[scenario, i], landing_room(data, plan, node, scenario, i))
                if count > 0:
                    classes[size], most[size] = i, count
                    size += 1
        room = plan.free[node, scenario].copy()
        load, _ = _knapsack(data, offer, classes[:size], most[:size], room, data.room_price[scenario, offer], noise)
        for index in np.flatnonzero(load):
            i, count = classes[index], load[index]
            if data.limits[ANY_APART] and landing_room(data, plan, node, scenario, i) < count:
                continue
            put_landing(data, plan, node, scenario, i, count)
            plan.wait_land[scenario, i] -= count


@inner
def open_for(data: Data, plan: Plan, i: int, order: Ints, noise: float) -> int:
    """Return a new node for a replica that waits; NOWHERE when none may open."""
    allowed = np.zeros(plan.zones.shape[1], np.bool_)
    for zone in range(len(allowed)):
        allowed[zone] = zone_room(data, plan, i, zone) > 0
    offer = best_offer(data, plan, i, allowed, order, noise, False)
    return NOWHERE if offer == NOWHERE else open_node(data, plan, offer)
