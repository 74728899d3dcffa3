"""Step 10. Compiled: replicas moved between nodes of a zone until nodes are filled as evenly as single moves can make them."""

from __future__ import annotations

import numpy as np
from numba import njit

from rombel.compiled import inner
from rombel.fit.search._plan import NOWHERE, SLOTS, Data, Floats, Ints, Plan, base_room, put_base

TARGETS = 24
"""The emptiest nodes of a zone that a replica is offered to."""
PASSES = 30
FAINT = 1e-7
"""A move must bring the nodes closer to their mean by more than this, in squared shares."""


@njit(cache=True, nogil=True)
def fullness(data: Data, plan: Plan, room_price: Floats) -> Floats:
    """Return (N,) the weighted mean of the shares of each resource that a node's replicas request; 0 for no node.

    ``room_price`` (R,) sums to 1.
    """
    full = np.zeros(plan.top[SLOTS])
    for node in range(plan.top[SLOTS]):
        if plan.offer[node] != NOWHERE:
            for i in range(plan.base.shape[1]):
                if plan.base[node, i] > 0:
                    full[node] += plan.base[node, i] * _part(data, plan.offer[node], i, room_price)
    return full


@inner
def _part(data: Data, offer: int, i: int, room_price: Floats) -> float:
    """Return what one replica of a class adds to the fullness of a node of the offer."""
    part = 0.0
    for r in range(len(room_price)):
        # A resource the offer has none of is not part of how full its nodes are.
        if data.capacity[offer, r] > 0:
            part += room_price[r] * data.request[i, r] / data.capacity[offer, r]
    return part


@njit(cache=True, nogil=True)
def grant_wishes(data: Data, plan: Plan, wish: Ints) -> int:
    """Move replicas from the zone that has most of a class to the one that has least, while they differ by more than is wished.

    ``wish`` (I,), 0 for none. A replica moves only where a node has room for it, so nodes and their cost stay. Return how many
    were moved.
    """
    moved = 0
    for i in range(len(wish)):
        while wish[i] > 0:
            # One move at a time from the fullest zone to the emptiest, until they are as near as is wished.
            high, low = NOWHERE, NOWHERE
            for offer in range(len(data.price)):
                zone = data.zone[offer]
                if data.per_node[offer, i] > 0:
                    high = zone if high == NOWHERE or plan.zones[i, zone] > plan.zones[i, high] else high
                    low = zone if low == NOWHERE or plan.zones[i, zone] < plan.zones[i, low] else low
            if high == NOWHERE or plan.zones[i, high] - plan.zones[i, low] <= wish[i]:
                break
            source, target = NOWHERE, NOWHERE
            # The first node that carries one, and the first of the other zone that has room: which ones does not matter.
            for node in range(plan.top[SLOTS]):
                if plan.offer[node] != NOWHERE:
                    zone = data.zone[plan.offer[node]]
                    if source == NOWHERE and zone == high and plan.base[node, i] > 0:
                        source = node
                    if target == NOWHERE and zone == low and base_room(data, plan, node, i) > 0:
                        target = node
            # A wish never breaks a rule: the window of each zone still holds.
            bound = plan.zones[i, high] <= data.window[i, high, 0] or plan.zones[i, low] >= data.window[i, low, 1]
            if source == NOWHERE or target == NOWHERE or bound:
                break
            put_base(data, plan, source, i, -1)
            put_base(data, plan, target, i, 1)
            moved += 1
    return moved


@njit(cache=True, nogil=True)
def even_out(data: Data, plan: Plan, room_price: Floats, most: int) -> int:
    """Move at most so many replicas, each from a fuller to an emptier node of its zone; return how many were moved.

    Every move brings the nodes closer to the mean of their zone as it was; nodes and their cost, counts over zones and landings stay.
    """
    full, count = fullness(data, plan, room_price), 0
    for _ in range(PASSES):
        moved = 0
        for zone in range(plan.zones.shape[1]):
            nodes = np.array(
                [n for n in range(plan.top[SLOTS]) if plan.offer[n] != NOWHERE and data.zone[plan.offer[n]] == zone]
            )
            if len(nodes) < 2:
                continue
            mean = full[nodes].mean()
            order = nodes[np.argsort(full[nodes])]
            # From the fullest node down to the mean; emptier ones give nothing away.
            for index in range(len(order) - 1, 0, -1):
                if full[order[index]] <= mean or count + moved >= most:
                    break
                moved += _relieve(data, plan, full, order[index], order[: min(index, TARGETS)], mean, room_price)
        # A pass in which nothing moves would repeat itself for ever.
        count += moved
        if moved == 0 or count >= most:
            break
    return count


@inner
def _relieve(data: Data, plan: Plan, full: Floats, node: int, targets: Ints, mean: float, room_price: Floats) -> int:
    """Move the one replica of a node that evens most; return 1, or 0 when none does."""
    best, chosen, target = FAINT, NOWHERE, NOWHERE
    for i in range(plan.base.shape[1]):
        if plan.base[node, i] == 0:
            continue
        less = full[node] - _part(data, plan.offer[node], i, room_price)
        for other in targets:
            more = full[other] + _part(data, plan.offer[other], i, room_price)
            # How much closer both nodes come to the mean, in squares.
            gain = (full[node] - mean) ** 2 + (full[other] - mean) ** 2 - (less - mean) ** 2 - (more - mean) ** 2
            if gain > best and base_room(data, plan, other, i) > 0:
                best, chosen, target = gain, i, other
    if chosen == NOWHERE:
        return 0
    put_base(data, plan, node, chosen, -1)
    put_base(data, plan, target, chosen, 1)
    full[node] -= _part(data, plan.offer[node], chosen, room_price)
    full[target] += _part(data, plan.offer[target], chosen, room_price)
    return 1
