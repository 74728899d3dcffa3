"""Step 10. Compiled ruin-and-recreate over whole nodes.

A step empties a few nodes and places what waits again: into the rooms left over where that loses least, else on
new nodes that a knapsack fills at once. Nodes that are looked at for room are a window: all of a small plan, a sample of
a large one. After Schrimpf, Schneider, Stamm-Wilbrandt and Dueck 2000, J. Comput. Phys. 159:139-171 (idea, from
memory).
"""

from __future__ import annotations

import numpy as np
from numba import njit

from rombel.compiled import inner
from rombel.fit.search._opening import best_offer, fill_landings, open_filled, open_for, put_waiting
from rombel.fit.search._padding import PENALTY, cost, padding
from rombel.fit.search._plan import (
    EMPTY_NODES,
    FEWEST_IN_POOL,
    FEWEST_IN_ZONE,
    LOOKED_AT,
    NOWHERE,
    SLOTS,
    STEP,
    STOPPED,
    Data,
    Floats,
    Ints,
    Kept,
    Plan,
    base_room,
    begin_step,
    close_node,
    keep,
    landing_room,
    look_at,
    may_open,
    open_node,
    parted,
    put_base,
    put_landing,
    reload,
    swap_node,
    undo_step,
    zone_room,
)

THRIFT = 0.15
"""How much room left over counts against reduced cost when a place is chosen."""
FILLING = 0.8
"""How often new nodes are filled at once by a knapsack."""
WINDOW = 240
"""Nodes looked at for room in one step."""
CROWDED = 0.05
"""How much of a node's price room left over in one place is worth: all of a node's room could save the node."""


@njit(cache=True, nogil=True)
def open_window(plan: Plan, most: int) -> None:
    """Choose the nodes looked at: all, or a sample of a plan with more than ``most``."""
    top = plan.top[SLOTS]
    if top <= most:
        for node in range(top):
            look_at(plan, node)
        return
    # A sample of the nodes with more free room: each is the roomier of two drawn.
    for _ in range(most // 2):
        one, other = np.random.randint(top), np.random.randint(top)
        look_at(plan, one if plan.slack[one] > plan.slack[other] else other)


@inner
def _best_landing(data: Data, plan: Plan, i: int, scenario: int, noise: float) -> tuple[int, float]:
    """Return the node where a landing wastes least and leaves least room over, and that loss."""
    offer, free, base, land = plan.offer, plan.free, plan.base, plan.land
    request, per_node, zones, room_price = data.request, data.per_node, data.zone, data.room_price
    reduced_cost, window = data.landing_reduced_cost, plan.window
    best, least, width = NOWHERE, PENALTY, data.request.shape[1]
    for index in range(plan.top[LOOKED_AT]):
        node = window[index]
        j = offer[node]
        # In the scenario in which its own zone is lost the node is gone.
        if j == NOWHERE or zones[j] == scenario or base[node, i] + land[node, scenario, i] >= per_node[j, i]:
            continue
        # A class with a share on interruptible nodes lands on sure ones only, so that the share holds after any loss.
        if data.sure_landing[i] and data.interruptible[j]:
            continue
        rest, fits = 0.0, True
        # The loop is written out: compiled, it needs no array for each node.
        for r in range(width):
            fits = fits and free[node, scenario, r] >= request[i, r]
            rest += room_price[scenario, j, r] * free[node, scenario, r]
        if fits:
            # Noise makes the choice differ from step to step; without it each rebuild would be the same.
            rest = (THRIFT * rest + reduced_cost[scenario, j, i]) * (1.0 + noise * np.random.random())
            if rest < least and not parted(data, plan, node, i, scenario):
                best, least = node, rest
    return best, least


@inner
def _best_bases(data: Data, plan: Plan, i: int, noise: float) -> tuple[Ints, Floats]:
    """Return, for each zone, the node where a replica wastes least and leaves least room over, and that loss."""
    offer, room, slack, base, window = plan.offer, plan.least, plan.slack, plan.base, plan.window
    request, per_node, zones, reduced_cost = data.request, data.per_node, data.zone, data.reduced_cost
    best = np.full(plan.zones.shape[1], NOWHERE)
    least = np.full(plan.zones.shape[1], PENALTY)
    width = request.shape[1]
    for index in range(plan.top[LOOKED_AT]):
        # A single pass over the window finds the best node of every zone at once.
        node = window[index]
        j = offer[node]
        if j == NOWHERE or base[node, i] >= per_node[j, i]:
            continue
        fits = True
        for r in range(width):
            fits = fits and room[node, r] >= request[i, r]
        if fits:
            # Cheap tests first; the exact room, which looks at every scenario, only where the node would win.
            rest = (THRIFT * slack[node] + reduced_cost[j, i]) * (1.0 + noise * np.random.random())
            if rest < least[zones[j]] and base_room(data, plan, node, i) > 0:
                best[zones[j]], least[zones[j]] = node, rest
    return best, least


@inner
def _land_waiting(data: Data, plan: Plan, i: int, scenario: int, order: Ints, noise: float, opening: bool) -> None:
    """Land what waits of one class and scenario; open nodes for it where allowed."""
    while plan.wait_land[scenario, i] > 0 and not plan.top[STOPPED]:
        node, _ = _best_landing(data, plan, i, scenario, noise)
        # No node that stands takes it, so one is opened, which is not in the zone that is lost.
        if node == NOWHERE:
            if not opening:
                return
            allowed = np.ones(plan.zones.shape[1], np.bool_)
            allowed[scenario] = False
            offer = best_offer(data, plan, i, allowed, order, noise, True)
            node = NOWHERE if offer == NOWHERE else open_node(data, plan, offer)
            if node == NOWHERE:
                return
            # A new node is filled at once with the most worthy load, not with the one class it was opened for.
            fill_landings(data, plan, node, noise)
        step = min(plan.wait_land[scenario, i], landing_room(data, plan, node, scenario, i))
        if step > 0:
            put_landing(data, plan, node, scenario, i, step)
            plan.wait_land[scenario, i] -= step


@inner
def _choose_zone(data: Data, plan: Plan, i: int, bases: Ints, rests: Floats, noise: float) -> int:
    """Return the zone whose nodes take a replica, and its landing, with the least loss; NOWHERE if none."""
    best, least = NOWHERE, PENALTY
    for zone in range(len(bases)):
        if bases[zone] == NOWHERE or zone_room(data, plan, i, zone) == 0:
            continue
        score = rests[zone]
        # Where its landing finds no room later a replica costs as much more as a new node would.
        if data.lands[i]:
            node, rest = _best_landing(data, plan, i, zone, noise)
            score += rest if node != NOWHERE else PENALTY / 1e6
        if score < least:
            best, least = zone, score
    return best


@inner
def _place_waiting(data: Data, plan: Plan, i: int, order: Ints, noise: float, opening: bool, share: float) -> None:
    """Place what waits of one class; with ``share`` above 0 new nodes are filled at once and landings left for later."""
    # Half of the rebuilds leave the free room of other nodes for later and begin with new ones.
    inside = not (opening and share > 0.0 and np.random.random() < 0.5)
    while plan.wait[i] > 0 and not plan.top[STOPPED]:
        zone, bases = NOWHERE, np.zeros(0, np.int64)
        if inside:
            bases, rests = _best_bases(data, plan, i, noise)
            zone = _choose_zone(data, plan, i, bases, rests, noise)
        if zone != NOWHERE:
            node = bases[zone]
        else:
            # A node filled by a knapsack may not have taken this class, so the loop looks again.
            if opening and share > 0.0 and open_filled(data, plan, i, order, noise, share):
                continue
            node = open_for(data, plan, i, order, noise) if opening else NOWHERE
            if node == NOWHERE:
                # When none may be opened what stands is the last resort.
                if not inside:
                    inside = True
                    continue
                return
            zone = data.zone[plan.offer[node]]
        count = min(plan.wait[i], zone_room(data, plan, i, zone), base_room(data, plan, node, i))
        # Replicas that land are placed one by one: each may need another node for its landing.
        if data.lands[i]:
            count = min(count, 1)
        if count <= 0:
            return
        put_base(data, plan, node, i, count)
        plan.wait[i] -= count
        if data.lands[i]:
            plan.wait_land[zone, i] += count
            # When nodes are filled at once landings are left to the end, where they fill rooms in all scenarios together.
            if share == 0.0:
                _land_waiting(data, plan, i, zone, order, noise, opening)


@njit(cache=True, nogil=True)
def recreate(data: Data, plan: Plan, shuffle: float, noise: float, share: float, inside: float) -> None:
    """Place all that waits, large classes first; what finds no place goes on waiting.

    With chance ``inside`` the rooms left on standing nodes are used first. With ``share`` above 0 new nodes are filled at once by a
    knapsack, else class by class.
    """
    order = np.argsort(-data.size * (1.0 + shuffle * np.random.random(len(data.size))))
    # First into the rooms of what stands, then with new nodes; some rebuilds skip the first.
    for opening in (False, True):
        if not opening and np.random.random() > inside:
            continue
        # Large classes first, as in any packing by decreasing size; the order is shaken a little each time.
        for i in order:
            if plan.wait[i] > 0:
                _place_waiting(data, plan, i, order, noise, opening, share)
            if plan.top[STOPPED]:
                return
        # What must land is placed last, in every scenario.
        for i in order:
            if plan.top[STOPPED]:
                return
            for scenario in range(plan.land.shape[1]):
                if plan.wait_land[scenario, i] > 0:
                    _land_waiting(data, plan, i, scenario, order, noise, opening)


@njit(cache=True, nogil=True)
def _times(data: Data, plan: Plan, nodes: Ints, i: int) -> Floats:
    """Return how often, in parts, a replica of the class fits into what is left of each node."""
    times = np.full(len(nodes), 1e9)
    for index in range(len(nodes)):
        for r in range(data.request.shape[1]):
            if data.request[i, r] > 0:
                times[index] = min(times[index], plan.least[nodes[index], r] / data.request[i, r])
    return times


@njit(cache=True, nogil=True)
def spread(data: Data, plan: Plan, nodes: Ints, order: Ints, counts: Ints) -> None:
    """Put replicas evenly on nodes of one offer, class by class, the odd ones where they fit most often; the rest waits on.

    ``order`` classes, large ones first; ``counts`` (I,) replicas of each for all the nodes together.
    """
    zone = data.zone[plan.offer[nodes[0]]]
    for i in order:
        count = min(counts[i], plan.wait[i], zone_room(data, plan, i, zone))
        even = count // len(nodes)
        # First the even part on every node, then one more where it fits most often.
        for turn in range(2):
            if count <= 0 or (turn == 0 and even == 0):
                continue
            for index in np.argsort(-_times(data, plan, nodes, i)):
                step = min(even if turn == 0 else 1, count, base_room(data, plan, nodes[index], i))
                if step > 0:
                    put_waiting(data, plan, nodes[index], i, step)
                    count -= step


@inner
def _drop_landings(data: Data, plan: Plan, scenario: int, i: int, count: int) -> None:
    """Take away landings of the class in the scenario: those that wait, then those in the window, then wherever they are."""
    step = min(count, plan.wait_land[scenario, i])
    plan.wait_land[scenario, i] -= step
    # Waiting ones cost nothing to drop, those in the window were just looked at, and others are the last resort.
    count -= step
    for index in range(plan.top[LOOKED_AT]):
        if count == 0:
            return
        count -= _drop_from(data, plan, plan.window[index], scenario, i, count)
    # From a random start, so that not always the same nodes lose their landings.
    start = np.random.randint(max(1, plan.top[SLOTS]))
    for index in range(plan.top[SLOTS]):
        if count == 0:
            return
        count -= _drop_from(data, plan, (start + index) % plan.top[SLOTS], scenario, i, count)


@inner
def _drop_from(data: Data, plan: Plan, node: int, scenario: int, i: int, count: int) -> int:
    """Take landings off one node; return how many."""
    if plan.offer[node] == NOWHERE or plan.land[node, scenario, i] == 0:
        return 0
    step = min(count, plan.land[node, scenario, i])
    put_landing(data, plan, node, scenario, i, -step)
    return step


@inner
def empty_node(data: Data, plan: Plan, node: int) -> None:
    """Take everything off a node and remove it; what it carried waits."""
    zone = data.zone[plan.offer[node]]
    for scenario in range(plan.land.shape[1]):
        for i in range(plan.base.shape[1]):
            count = plan.land[node, scenario, i]
            if count > 0:
                put_landing(data, plan, node, scenario, i, -count)
                plan.wait_land[scenario, i] += count
    for i in range(plan.base.shape[1]):
        count = plan.base[node, i]
        # Replicas that go take their landings in other zones with them: as many fewer must find room there.
        if count > 0:
            put_base(data, plan, node, i, -count)
            plan.wait[i] += count
            if data.lands[i]:
                _drop_landings(data, plan, zone, i, count)
    close_node(data, plan, node)


@inner
def _draw_node(data: Data, plan: Plan, kind: int, seed: int) -> int:
    """Return a node at random: any, of the seed's pool, of its zone, or the one with most room over among a few."""
    best, most = NOWHERE, -1.0
    # A few draws are enough: a draw that hits nothing useful only makes the step smaller.
    for _ in range(24):
        node = np.random.randint(plan.top[SLOTS])
        offer = plan.offer[node]
        if offer == NOWHERE:
            continue
        if kind == 1 and data.pool[offer] != data.pool[seed]:
            continue
        if kind >= 2 and data.zone[offer] != data.zone[seed]:
            # The first three kinds take the first node that suits, the last the one with most room over.
            continue
        if kind < 3:
            return node
        share = plan.slack[node] / data.price[offer] + 0.002 * np.random.random()
        if share > most:
            best, most = node, share
    return best


@njit(cache=True, nogil=True)
def ruin(data: Data, plan: Plan, most: int) -> None:
    """Empty a few nodes: at random, of one pool, of one zone, or those with the most room over."""
    if plan.top[SLOTS] == 0:
        return
    first = _draw_node(data, plan, 0, 0)
    if first == NOWHERE:
        return
    # What a neighbourhood is: any nodes, one pool, one zone, or the emptiest of a zone.
    count, kind, seed = 1 + np.random.randint(most), np.random.randint(5), plan.offer[first]
    for _ in range(count):
        if plan.top[SLOTS] == 0:
            return
        node = _draw_node(data, plan, kind, seed)
        if node != NOWHERE:
            empty_node(data, plan, node)


@inner
def _carries(data: Data, plan: Plan, node: int, offer: int) -> bool:
    """Return whether another offer of the zone carries all that the node carries."""
    own = plan.offer[node]
    for r in range(data.capacity.shape[1]):
        # What it carries in its tightest scenario must fit, and so the largest use over all scenarios counts.
        if data.capacity[own, r] - plan.least[node, r] > data.capacity[offer, r]:
            return False
    for i in range(plan.base.shape[1]):
        if plan.base[node, i] > data.per_node[offer, i]:
            return False
        for scenario in range(plan.land.shape[1]):
            if (
                scenario != data.zone[own]
                and plan.base[node, i] + plan.land[node, scenario, i] > data.per_node[offer, i]
            ):
                return False
    return True


@inner
def _cheaper(data: Data, plan: Plan, node: int) -> int:
    """Return the cheapest offer in the node's zone that carries all it carries; its own when none is cheaper."""
    own = plan.offer[node]
    best = own
    price, zone, kind = data.price, data.zone, data.interruptible
    for offer in range(len(price)):
        # Sure nodes stay sure: shares of interruptible ones were counted already.
        if zone[offer] != zone[own] or price[offer] >= price[best] or kind[offer] != kind[own]:
            continue
        if may_open(data, plan, offer) and _carries(data, plan, node, offer):
            best = offer
    return best


@njit(cache=True, nogil=True)
def tidy(data: Data, plan: Plan) -> None:
    """Swap each node for the cheapest that carries the same; remove empty nodes, or keep the fewest a pool needs.

    An empty node stays while its pool runs at all and would fall under the fewest nodes; missing ones are opened.
    """
    loaded = np.zeros(len(plan.pools), np.int64)
    step = plan.top[STEP]
    # From the second step on only nodes touched in this step can have changed.
    for node in range(plan.top[SLOTS]):
        if plan.offer[node] != NOWHERE and plan.held[node] > 0:
            offer = plan.offer[node]
            if step == 0 or plan.stamp[node] == step:
                offer = _cheaper(data, plan, node)
                if offer != plan.offer[node]:
                    swap_node(data, plan, node, offer)
            loaded[data.pool[offer]] += 1
    # From the last slot down, so that slots at the end become free.
    for node in range(plan.top[SLOTS] - 1, -1, -1):
        if plan.offer[node] == NOWHERE or plan.held[node] > 0:
            continue
        offer = plan.offer[node]
        pool = data.pool[offer]
        # The last node of a pool may have to stay for the fewest that the limits ask for.
        needed = loaded[pool] > 0 and (
            plan.pools[pool] <= data.limits[FEWEST_IN_POOL] or plan.nodes[offer] <= data.limits[FEWEST_IN_ZONE]
        )
        needed |= plan.nodes[offer] <= data.fewest[offer]
        if not needed:
            close_node(data, plan, node)
    if data.limits[EMPTY_NODES] > 0:
        extra = padding(data, plan)
        for offer in np.flatnonzero(extra):
            for _ in range(extra[offer]):
                open_node(data, plan, int(offer))


@inner
def _merit(data: Data, plan: Plan) -> float:
    """Return what the search minimises: the cost, less a little for room left over in one place."""
    offer, slack, full, crowd = plan.offer, plan.slack, data.full, 0.0
    for node in range(plan.top[SLOTS]):
        if offer[node] != NOWHERE:
            own = max(full[offer[node]], 1e-9)
            share = min(1.0, slack[node] / own)
            # Room in one place can become a node less, room in many cannot: hence the square.
            crowd += own * share * share
    return cost(data, plan) - CROWDED * crowd


@njit(cache=True, nogil=True)
def seed_random(seed: int) -> None:
    """Seed the generator that the compiled search draws from."""
    np.random.seed(seed)


@njit(cache=True, nogil=True)
def improve(
    data: Data,
    plan: Plan,
    before: Kept,
    best: Kept,
    least: float,
    temperature: Floats,
    first: int,
    steps: int,
    most: int,
) -> float:
    """Run ruin-and-recreate steps on the plan; keep the best in ``best``; return its cost, ``least`` or lower.

    ``temperature`` is (first, last) threshold as a share of the cost; ``first`` numbers the steps; ``most`` bounds the nodes
    emptied in one step; ``before`` is scratch.
    """
    merit = _merit(data, plan)
    for step in range(steps):
        if plan.top[STOPPED]:
            break
        # The threshold falls from chunk to chunk; within one it goes straight.
        threshold = temperature[0] + (temperature[1] - temperature[0]) * step / steps
        begin_step(plan, before, first + step)
        open_window(plan, WINDOW)
        ruin(data, plan, most)
        # The fourth power makes most steps nearly greedy and a few wild.
        share = np.random.uniform(0.5, 0.9) if np.random.random() < FILLING else 0.0
        recreate(data, plan, 0.4 * np.random.random(), 0.3 * np.random.random() ** 4, share, 0.5)
        tidy(data, plan)
        fresh = _merit(data, plan)
        # Accepted when cheaper, and when dearer with a chance that falls with the difference (Kirkpatrick, Gelatt and Vecchi 1983).
        if fresh < merit - threshold * least * np.log(1e-12 + np.random.random()):
            merit = fresh
            spent = cost(data, plan)
            if spent < least - 1e-6:
                least = spent
                keep(plan, best)
        elif not undo_step(data, plan, before):
            # A step larger than the log cannot be undone; the best plan is loaded instead.
            reload(data, plan, best)
            merit = _merit(data, plan)
    return least
