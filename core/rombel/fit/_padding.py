"""Compiled: what a plan costs, with the empty nodes that limits on pools and zones ask for."""

from __future__ import annotations

import numpy as np
from numba import njit

from rombel.fit._plan import (
    NOWHERE,
    Given,
    Ints,
    Plan,
)

PENALTY = 1e15
"""More than anything costs."""


@njit(cache=True, nogil=True)
def padding(given: Given, plan: Plan) -> Ints:
    """Return (J,) empty nodes to add so that every pool and zone has its fewest nodes, or all zones as many."""
    extra = np.zeros(len(given.price), np.int64)
    if given.limits[3]:
        _level(given, plan, extra)
        return extra
    if given.limits[1] <= 1 and given.limits[2] <= 1:
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
    total: float = np.sum((plan.nodes + padding(given, plan)) * given.price)
    waiting = float(np.sum(plan.wait) + np.sum(plan.wait_land))
    dearest: float = np.max(given.price)
    return total + PENALTY * min(1.0, waiting) / 1e3 + waiting * dearest
