"""Step 10. Compiled: what a plan costs, with the empty nodes that limits on pools and zones ask for."""

from __future__ import annotations

import numpy as np
from numba import njit

from rombel.compiled import inner
from rombel.fit.search._plan import EMPTY_NODES, EQUAL_ZONES, FEWEST_IN_POOL, FEWEST_IN_ZONE, NOWHERE, Data, Ints, Plan

PENALTY = 1e15
"""More than anything costs."""


@inner
def padding(data: Data, plan: Plan) -> Ints:
    """Return (J,) empty nodes to add so that every pool and zone has its fewest nodes, or all zones as many."""
    extra = np.zeros(len(data.price), np.int64)
    # Under equal zones levels decide alone: they include every other least count.
    if data.limits[EQUAL_ZONES]:
        _level(data, plan, extra)
        return extra
    if data.limits[EMPTY_NODES] == 0:
        return extra
    for offer in range(len(data.price)):
        fewest = data.fewest[offer]
        if plan.nodes[offer] > 0 or fewest > 0:
            # A zone that runs any node of the pool runs the fewest asked, as far as its quota goes.
            extra[offer] = max(0, max(fewest, min(data.limits[FEWEST_IN_ZONE], data.quota[offer])) - plan.nodes[offer])
    for pool in range(len(plan.pools)):
        running = plan.pools[pool]
        for offer in range(len(data.price)):
            if data.pool[offer] == pool:
                running += extra[offer]
        missing = data.limits[FEWEST_IN_POOL] - running
        # What a pool still lacks is bought where it is cheapest.
        while running > 0 and missing > 0:
            offer = _cheapest_spare(data, plan, extra, pool)
            if offer == NOWHERE:
                break
            more = min(missing, data.quota[offer] - plan.nodes[offer] - extra[offer])
            extra[offer] += more
            missing -= more
    return extra


@inner
def _cheapest_spare(data: Data, plan: Plan, extra: Ints, pool: int) -> int:
    """Return the cheapest offer of a pool whose quota leaves a node and whose zone needs no further ones for it; NOWHERE: none."""
    cheapest, least = NOWHERE, PENALTY
    for offer in range(len(data.price)):
        if data.pool[offer] != pool or data.quota[offer] <= plan.nodes[offer] + extra[offer]:
            continue
        # A zone without a node of the pool would need its own fewest; unless that is one, it is left alone.
        if (plan.nodes[offer] + extra[offer] > 0 or data.limits[FEWEST_IN_ZONE] <= 1) and data.price[offer] < least:
            cheapest, least = offer, data.price[offer]
    return cheapest


@njit(cache=True, nogil=True)
def _short(data: Data, plan: Plan, extra: Ints) -> int:
    """Return the nodes that pools and zones which run lack of their fewest, in spite of what is added."""
    short = 0
    for pool in range(len(plan.pools)):
        count = 0
        for offer in range(len(data.price)):
            if data.pool[offer] == pool:
                count += plan.nodes[offer] + extra[offer]
                # Quotas can keep the padding short, and then the plan is not allowed.
                if plan.nodes[offer] > 0:
                    short += max(0, data.limits[FEWEST_IN_ZONE] - plan.nodes[offer] - extra[offer])
        if count > 0:
            short += max(0, data.limits[FEWEST_IN_POOL] - count)
    return short


@njit(cache=True, nogil=True)
def _level(data: Data, plan: Plan, extra: Ints) -> None:
    """Add the empty nodes that bring every zone of a pool to its highest count, and that to the fewest asked."""
    highest = np.zeros(len(plan.pools), np.int64)
    zones = np.zeros(len(plan.pools), np.int64)
    for offer in range(len(data.price)):
        zones[data.pool[offer]] += 1
        highest[data.pool[offer]] = max(highest[data.pool[offer]], plan.nodes[offer], data.fewest[offer])
    for offer in range(len(data.price)):
        # The fewest of a pool, spread over its zones and rounded up.
        pool = data.pool[offer]
        if highest[pool] > 0:
            fewest = max(data.limits[FEWEST_IN_ZONE], -(-data.limits[FEWEST_IN_POOL] // zones[pool]))
            extra[offer] = max(highest[pool], fewest) - plan.nodes[offer]


@njit(cache=True, nogil=True)
def cost(data: Data, plan: Plan) -> float:
    """Return the price of all nodes, with the padding and a penalty for each replica that still waits, and each node a pool lacks."""
    extra = padding(data, plan)
    # Padding is paid for like every node.
    total: float = np.sum((plan.nodes + extra) * data.price)
    waiting = float(np.sum(plan.wait) + np.sum(plan.wait_land))
    if data.limits[FEWEST_IN_POOL] > 1 or data.limits[FEWEST_IN_ZONE] > 1:
        waiting += _short(data, plan, extra)
    dearest: float = np.max(data.price)
    # Any replica without a place outweighs all money; among such plans, fewer are better.
    return total + PENALTY * min(1.0, waiting) / 1e3 + waiting * dearest
