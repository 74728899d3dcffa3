"""Compiled ruin-and-recreate over whole nodes.

A step empties a few nodes and places what waits again: into the rooms left over where that loses least, else on
new nodes that a knapsack fills at once. After Schrimpf, Schneider, Stamm-Wilbrandt and Dueck 2000, J. Comput.
Phys. 159:139-171 (idea, from memory).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from rombel.fit._knapsack import best_pattern
from rombel.fit._plan import (
    NOWHERE,
    UNLIMITED,
    Flags,
    Floats,
    Given,
    Ints,
    Plan,
    base_room,
    close_node,
    copy_plan,
    kind_room,
    landing_room,
    may_open,
    open_node,
    put_base,
    put_landing,
    refresh,
    zone_room,
)

PENALTY = 1e15
# How much room left over counts against waste when a place is chosen.
THRIFT = 0.15
# A class is of an offer's own kind while it wastes no more than this share of its worth there.
FITTING = 0.05
# How often new nodes are filled at once by a knapsack, and how many branches that may look at.
FILLING = 0.7
EFFORT = 300
# How much dearer a pool that does not run yet may seem where pools are limited.
NEWCOMER = 1.0
PAID = 0.05
"""What is left of the price of a node that the limits ask for anyway: nearly nothing."""
RISE = 0.2
"""At most so much dearer seems a node that makes every other zone of its pool grow too."""


@njit(cache=True, nogil=True)
def _best_landing(given: Given, plan: Plan, i: int, state: int, noise: float) -> tuple[int, float]:
    """Return the node where a landing wastes least and leaves least room over, and that loss."""
    offer, free, base, land = plan.offer, plan.free, plan.base, plan.land
    request, per_node, zones, weight = given.request, given.per_node, given.zone, given.weight
    waste = given.waste_land
    best, least, width = NOWHERE, PENALTY, given.request.shape[1]
    for node in range(plan.top[0]):
        j = offer[node]
        if j == NOWHERE or zones[j] == state or base[node, i] + land[node, state, i] >= per_node[j, i]:
            continue
        rest, fits = 0.0, True
        for r in range(width):
            fits = fits and free[node, state, r] >= request[i, r]
            rest += weight[state, j, r] * free[node, state, r]
        if fits:
            rest = (THRIFT * rest + waste[state, j, i]) * (1.0 + noise * np.random.random())
            if rest < least:
                best, least = node, rest
    return best, least


@njit(cache=True, nogil=True)
def _best_bases(given: Given, plan: Plan, i: int, noise: float) -> tuple[Ints, Floats]:
    """Return, for each zone, the node where a replica wastes least and leaves least room over, and that loss."""
    offer, room, slack, base = plan.offer, plan.least, plan.slack, plan.base
    request, per_node, zones, waste = given.request, given.per_node, given.zone, given.waste
    best = np.full(plan.zones.shape[1], NOWHERE)
    least = np.full(plan.zones.shape[1], PENALTY)
    width = request.shape[1]
    for node in range(plan.top[0]):
        j = offer[node]
        if j == NOWHERE or base[node, i] >= per_node[j, i]:
            continue
        fits = True
        for r in range(width):
            fits = fits and room[node, r] >= request[i, r]
        if fits:
            rest = (THRIFT * slack[node] + waste[j, i]) * (1.0 + noise * np.random.random())
            if rest < least[zones[j]] and base_room(given, plan, node, i) > 0:
                best[zones[j]], least[zones[j]] = node, rest
    return best, least


@njit(cache=True, nogil=True)
def _waiting(given: Given, plan: Plan, order: Ints, first: int) -> tuple[Ints, Ints]:
    """Return the classes that still wait, ``first`` before all, and how many places each needs."""
    classes, counts = np.zeros(len(order) + 1, np.int64), np.zeros(len(order) + 1, np.int64)
    classes[0], counts[0], size = first, 1, 1
    for i in order:
        count = plan.wait[i]
        if given.lands[i]:
            count += (count + 1) // 2
            for state in range(plan.free.shape[1]):
                count += plan.wait_land[state, i]
        if count > 0:
            classes[size], counts[size] = i, count
            size += 1
    return classes[:size], counts[:size]


@njit(cache=True, nogil=True)
def _filled(given: Given, offer: int, classes: Ints, counts: Ints, room: Ints, load: Ints) -> float:
    """Return the worth of what a new node of the offer would take of all that waits, its own kind first.

    ``room`` (R,) is scratch; ``load`` (places of ``classes``) receives what it takes.
    """
    request, per_node, width = given.request, given.per_node, len(room)
    worth = 0.0
    for r in range(width):
        room[r] = given.capacity[offer, r]
    for own_kind in (True, False):
        for place in range(len(classes)):
            i = classes[place]
            value = given.worth[offer, i]
            if place > 0 and own_kind != (given.waste[offer, i] <= FITTING * value):
                continue
            if place == 0 and not own_kind:
                continue
            count = min(counts[place], per_node[offer, i])
            for r in range(width):
                if request[i, r] > 0:
                    count = min(count, room[r] // request[i, r])
            load[place] = count
            for r in range(width):
                room[r] -= count * request[i, r]
            worth += count * value
    return worth


@njit(cache=True, nogil=True)
def _best_offer(given: Given, plan: Plan, i: int, allowed: Flags, order: Ints, noise: float) -> int:
    """Return the offer in an allowed zone that gives most worth for its price; NOWHERE when none may open."""
    best, least = NOWHERE, PENALTY
    classes, counts = _waiting(given, plan, order, i)
    room, load = np.zeros(given.capacity.shape[1], np.int64), np.zeros(len(classes), np.int64)
    paid = padding(given, plan) if given.limits[1] > 1 or given.limits[2] > 1 or given.limits[3] else plan.nodes * 0
    for offer in range(len(given.price)):
        if given.per_node[offer, i] == 0 or not allowed[given.zone[offer]] or not may_open(given, plan, offer):
            continue
        if kind_room(given, plan, i, offer) == 0:
            continue
        newcomer = 1.0 + (given.limits[1] > 1 or given.limits[0] < UNLIMITED) * NEWCOMER * np.random.random()
        rate = given.price[offer] / (1e-9 + _filled(given, offer, classes, counts, room, load))
        rate *= 1.0 + noise * np.random.random()
        if plan.pools[given.pool[offer]] == 0:
            rate *= newcomer
        if paid[offer] > 0:
            rate *= PAID
        elif given.limits[3]:
            rate *= 1.0 + RISE * np.random.random()
        if rate < least:
            best, least = offer, rate
    return best


@njit(cache=True, nogil=True)
def _fill(given: Given, plan: Plan, node: int, share: float, noise: float) -> bool:
    """Put on a new node the most worthy load of what waits, landings left for later; return whether it took any.

    Where landings are promised only ``share`` of the node is filled: the rest is kept back for them.
    """
    offer, classes = plan.offer[node], len(plan.wait)
    zone, room = given.zone[offer], given.capacity[offer].copy()
    values, most, states = np.zeros(classes), np.zeros(classes, np.int64), plan.free.shape[1]
    for i in range(classes):
        if plan.wait[i] > 0:
            most[i] = min(plan.wait[i], zone_room(given, plan, i, zone), base_room(given, plan, node, i))
            values[i] = given.worth[offer, i] * (1.0 + noise * np.random.random())
    if states > 1:
        for r in range(len(room)):
            room[r] = int(room[r] * share)
    weight = given.weight[(zone + 1) % states, offer]
    load, _, _ = best_pattern(values, given.request, room, most, weight, EFFORT)
    for i in np.flatnonzero(load):
        put_base(given, plan, node, i, load[i])
        plan.wait[i] -= load[i]
        if given.lands[i]:
            plan.wait_land[zone, i] += load[i]
    return np.sum(load) > 0


@njit(cache=True, nogil=True)
def _fill_landings(given: Given, plan: Plan, node: int, noise: float) -> None:
    """Let on a new node land, in every state in which it stands, the most worthy load of what waits to land."""
    offer, classes = plan.offer[node], len(plan.wait)
    for state in range(plan.free.shape[1]):
        if state == given.zone[offer]:
            continue
        values, most = np.zeros(classes), np.zeros(classes, np.int64)
        for i in range(classes):
            if plan.wait_land[state, i] > 0:
                most[i] = min(plan.wait_land[state, i], landing_room(given, plan, node, state, i))
                values[i] = given.worth[offer, i] * (1.0 + noise * np.random.random())
        weight = given.weight[state, offer]
        load, _, _ = best_pattern(values, given.request, plan.free[node, state], most, weight, EFFORT)
        for i in np.flatnonzero(load):
            put_landing(given, plan, node, state, i, load[i])
            plan.wait_land[state, i] -= load[i]


@njit(cache=True, nogil=True)
def _land_waiting(given: Given, plan: Plan, i: int, state: int, order: Ints, noise: float, opening: bool) -> None:
    """Land what waits of one class and state; open nodes for it where allowed."""
    while plan.wait_land[state, i] > 0:
        node, _ = _best_landing(given, plan, i, state, noise)
        if node == NOWHERE:
            if not opening:
                return
            allowed = np.ones(plan.zones.shape[1], np.bool_)
            allowed[state] = False
            offer = _best_offer(given, plan, i, allowed, order, noise)
            node = NOWHERE if offer == NOWHERE else open_node(given, plan, offer)
            if node == NOWHERE:
                return
            _fill_landings(given, plan, node, noise)
        step = min(plan.wait_land[state, i], landing_room(given, plan, node, state, i))
        if step > 0:
            put_landing(given, plan, node, state, i, step)
            plan.wait_land[state, i] -= step


@njit(cache=True, nogil=True)
def _choose_zone(given: Given, plan: Plan, i: int, bases: Ints, rests: Floats, noise: float) -> int:
    """Return the zone whose nodes take a replica, and its landing, with the least loss; NOWHERE if none."""
    best, least = NOWHERE, PENALTY
    for zone in range(len(bases)):
        if bases[zone] == NOWHERE or zone_room(given, plan, i, zone) == 0:
            continue
        score = rests[zone]
        if given.lands[i]:
            node, rest = _best_landing(given, plan, i, zone, noise)
            score += rest if node != NOWHERE else PENALTY / 1e6
        if score < least:
            best, least = zone, score
    return best


@njit(cache=True, nogil=True)
def _open_for(given: Given, plan: Plan, i: int, order: Ints, noise: float) -> int:
    """Return a new node for a replica that waits; NOWHERE when none may open."""
    allowed = np.zeros(plan.zones.shape[1], np.bool_)
    for zone in range(len(allowed)):
        allowed[zone] = zone_room(given, plan, i, zone) > 0
    offer = _best_offer(given, plan, i, allowed, order, noise)
    return NOWHERE if offer == NOWHERE else open_node(given, plan, offer)


@njit(cache=True, nogil=True)
def _place_waiting(given: Given, plan: Plan, i: int, order: Ints, noise: float, opening: bool, share: float) -> None:
    """Place what waits of one class; with ``share`` above 0 new nodes are filled at once and landings left for later."""
    while plan.wait[i] > 0:
        bases, rests = _best_bases(given, plan, i, noise)
        zone = _choose_zone(given, plan, i, bases, rests, noise)
        if zone != NOWHERE:
            node = bases[zone]
        else:
            node = _open_for(given, plan, i, order, noise) if opening else NOWHERE
            if node == NOWHERE:
                return
            zone = given.zone[plan.offer[node]]
            if share > 0.0 and _fill(given, plan, node, share, noise):
                continue
        count = min(plan.wait[i], zone_room(given, plan, i, zone), base_room(given, plan, node, i))
        if given.lands[i]:
            count = min(count, 1)
        if count <= 0:
            return
        put_base(given, plan, node, i, count)
        plan.wait[i] -= count
        if given.lands[i]:
            plan.wait_land[zone, i] += count
            if share == 0.0:
                _land_waiting(given, plan, i, zone, order, noise, opening)


@njit(cache=True, nogil=True)
def recreate(given: Given, plan: Plan, shuffle: float, noise: float) -> None:
    """Place all that waits, large classes first; what finds no place goes on waiting.

    By chance the rooms left on standing nodes are used first, and new nodes are filled at once by a knapsack or
    class by class.
    """
    order = np.argsort(-given.size * (1.0 + shuffle * np.random.random(len(given.size))))
    share = np.random.uniform(0.5, 0.9) if np.random.random() < FILLING else 0.0
    for opening in (False, True):
        if not opening and np.random.random() < 0.5:
            continue
        for i in order:
            _place_waiting(given, plan, i, order, noise, opening, share)
        for i in order:
            for state in range(plan.free.shape[1]):
                _land_waiting(given, plan, i, state, order, noise, opening)


@njit(cache=True, nogil=True)
def _drop_landings(given: Given, plan: Plan, state: int, i: int, count: int) -> None:
    """Take away landings of the class in the state, wherever they are; those that wait first."""
    step = min(count, plan.wait_land[state, i])
    plan.wait_land[state, i] -= step
    count -= step
    start = np.random.randint(max(1, plan.top[0]))
    for place in range(plan.top[0]):
        if count == 0:
            return
        node = (start + place) % plan.top[0]
        if plan.offer[node] != NOWHERE and plan.land[node, state, i] > 0:
            step = min(count, plan.land[node, state, i])
            put_landing(given, plan, node, state, i, -step)
            count -= step


@njit(cache=True, nogil=True)
def empty_node(given: Given, plan: Plan, node: int) -> None:
    """Take everything off a node and remove it; what it carried waits."""
    for state in range(plan.free.shape[1]):
        for i in range(plan.base.shape[1]):
            plan.wait_land[state, i] += plan.land[node, state, i]
    plan.land[node] = 0
    zone = given.zone[plan.offer[node]]
    for i in range(plan.base.shape[1]):
        count = plan.base[node, i]
        if count > 0:
            put_base(given, plan, node, i, -count)
            plan.wait[i] += count
            if given.lands[i]:
                _drop_landings(given, plan, zone, i, count)
    close_node(given, plan, node)


@njit(cache=True, nogil=True)
def _ruin(given: Given, plan: Plan, most: int) -> None:
    """Empty a few nodes: at random, of one pool, of one zone, or those with the most room over."""
    alive = np.flatnonzero(plan.offer[: plan.top[0]] != NOWHERE)
    if len(alive) == 0:
        return
    count = min(len(alive), 1 + np.random.randint(most))
    kind = np.random.randint(4)
    seed = plan.offer[alive[np.random.randint(len(alive))]]
    if kind == 1:
        count = min(plan.pools[given.pool[seed]], 2 * most)
    score = np.random.random(len(alive))
    for place in range(len(alive)):
        offer = plan.offer[alive[place]]
        if (kind == 1 and given.pool[offer] != given.pool[seed]) or (
            kind == 2 and given.zone[offer] != given.zone[seed]
        ):
            score[place] += 1.0
        elif kind == 3:
            score[place] -= 3.0 * plan.slack[alive[place]] / given.price[offer]
    for place in np.argsort(score)[:count]:
        empty_node(given, plan, alive[place])


@njit(cache=True, nogil=True)
def _carries(given: Given, plan: Plan, node: int, offer: int) -> bool:
    """Return whether another offer of the zone carries all that the node carries."""
    own, states = plan.offer[node], plan.free.shape[1]
    for r in range(given.capacity.shape[1]):
        if given.capacity[own, r] - plan.least[node, r] > given.capacity[offer, r]:
            return False
    for i in range(plan.base.shape[1]):
        for state in range(states):
            stands = states == 1 or state != given.zone[own]
            if stands and plan.base[node, i] + plan.land[node, state, i] > given.per_node[offer, i]:
                return False
    return True


@njit(cache=True, nogil=True)
def _cheaper(given: Given, plan: Plan, node: int) -> int:
    """Return the cheapest offer in the node's zone that carries all it carries; its own when none is cheaper."""
    own = plan.offer[node]
    best = own
    price, zone, kind = given.price, given.zone, given.interruptible
    for offer in range(len(price)):
        if zone[offer] != zone[own] or price[offer] >= price[best] or kind[offer] != kind[own]:
            continue
        if _carries(given, plan, node, offer) and may_open(given, plan, offer):
            best = offer
    return best


@njit(cache=True, nogil=True)
def _swap(given: Given, plan: Plan, node: int, offer: int) -> None:
    """Turn a node into one of another offer of its zone that carries the same."""
    own = plan.offer[node]
    plan.free[node] += given.capacity[offer] - given.capacity[own]
    plan.offer[node] = offer
    plan.nodes[own] -= 1
    plan.pools[given.pool[own]] -= 1
    plan.nodes[offer] += 1
    plan.pools[given.pool[offer]] += 1
    refresh(given, plan, node)


@njit(cache=True, nogil=True)
def tidy(given: Given, plan: Plan) -> None:
    """Swap each node for the cheapest that carries the same; remove empty nodes, or keep the fewest a pool needs.

    An empty node stays while its pool runs at all and would fall under the fewest nodes; missing ones are opened.
    """
    loaded = np.zeros(len(plan.pools), np.int64)
    for node in range(plan.top[0]):
        if plan.offer[node] != NOWHERE and np.sum(plan.base[node]) + np.sum(plan.land[node]) > 0:
            offer = _cheaper(given, plan, node)
            if offer != plan.offer[node]:
                _swap(given, plan, node, offer)
            loaded[given.pool[offer]] += 1
    for node in range(plan.top[0] - 1, -1, -1):
        if plan.offer[node] == NOWHERE or np.sum(plan.base[node]) + np.sum(plan.land[node]) > 0:
            continue
        offer = plan.offer[node]
        pool = given.pool[offer]
        needed = loaded[pool] > 0 and (plan.pools[pool] <= given.limits[1] or plan.nodes[offer] <= given.limits[2])
        if not needed:
            close_node(given, plan, node)
    extra = padding(given, plan)
    for offer in np.flatnonzero(extra):
        for _ in range(extra[offer]):
            open_node(given, plan, offer)


@njit(cache=True, nogil=True)
def padding(given: Given, plan: Plan) -> Ints:
    """Return (J,) empty nodes to add so that every pool and zone has its fewest nodes, or all zones as many."""
    extra = np.zeros(len(given.price), np.int64)
    if given.limits[3]:
        _level(given, plan, extra)
        return extra
    for offer in range(len(given.price)):
        if plan.nodes[offer] > 0:
            extra[offer] = max(0, given.limits[2] - plan.nodes[offer])
    for pool in range(len(plan.pools)):
        if plan.pools[pool] == 0:
            continue
        count, cheapest, least = 0, NOWHERE, PENALTY
        for offer in range(len(given.price)):
            if given.pool[offer] == pool:
                count += plan.nodes[offer] + extra[offer]
                spare = given.quota[offer] > plan.nodes[offer] and (plan.nodes[offer] > 0 or given.limits[2] <= 1)
                if spare and given.price[offer] < least:
                    cheapest, least = offer, given.price[offer]
        if cheapest != NOWHERE:
            extra[cheapest] += max(0, given.limits[1] - count)
    return extra


@njit(cache=True, nogil=True)
def _level(given: Given, plan: Plan, extra: Ints) -> None:
    """Add the empty nodes that bring every zone of a pool to its highest count, and that to the fewest asked."""
    highest = np.zeros(len(plan.pools), np.int64)
    zones = np.zeros(len(plan.pools), np.int64)
    for offer in range(len(given.price)):
        zones[given.pool[offer]] += 1
        highest[given.pool[offer]] = max(highest[given.pool[offer]], plan.nodes[offer])
    for offer in range(len(given.price)):
        pool = given.pool[offer]
        if highest[pool] > 0:
            fewest = max(given.limits[2], -(-given.limits[1] // zones[pool]))
            extra[offer] = max(highest[pool], fewest) - plan.nodes[offer]


@njit(cache=True, nogil=True)
def cost(given: Given, plan: Plan) -> float:
    """Return the price of all nodes, with the padding and a penalty for each replica that still waits."""
    total = np.sum((plan.nodes + padding(given, plan)) * given.price)
    waiting = np.sum(plan.wait) + np.sum(plan.wait_land)
    return total + PENALTY * min(1.0, waiting) / 1e3 + waiting * np.max(given.price)


@njit(cache=True, nogil=True)
def _merit(given: Given, plan: Plan) -> float:
    """Return what the search minimises: the cost, less a little for room left over in one place."""
    merit = cost(given, plan)
    for node in range(plan.top[0]):
        if plan.offer[node] != NOWHERE:
            price = given.price[plan.offer[node]]
            share = min(1.0, plan.slack[node] / price)
            merit -= 0.05 * price * share * share
    return merit


@njit(cache=True, nogil=True)
def seed_random(seed: int) -> None:
    """Seed the generator that the compiled search draws from."""
    np.random.seed(seed)


@njit(cache=True, nogil=True)
def improve(given: Given, now: Plan, work: Plan, best: Plan, heat: Floats, steps: int, most: int) -> None:
    """Run ruin-and-recreate steps from ``now``; keep the best in ``best``.

    ``heat`` is (first, last) threshold as a share of the cost; ``most`` bounds the nodes emptied in one step.
    """
    merit, least = _merit(given, now), cost(given, best)
    for step in range(steps):
        threshold = heat[0] + (heat[1] - heat[0]) * step / steps
        copy_plan(now, work)
        _ruin(given, work, most)
        recreate(given, work, 0.4 * np.random.random(), 0.3 * np.random.random())
        tidy(given, work)
        fresh = _merit(given, work)
        if fresh < merit + threshold * least * -np.log(1e-12 + np.random.random()):
            merit = fresh
            copy_plan(work, now)
            spent = cost(given, now)
            if spent < least - 1e-6:
                least = spent
                copy_plan(now, best)
