"""Compiled: the change of a standing plan that gains most, among many tried and taken back."""

from __future__ import annotations

import numpy as np
from numba import njit

from rombel.compiled import inner
from rombel.fit.search._kernel import WINDOW, empty_node, open_window, recreate, ruin, tidy
from rombel.fit.search._opening import put_waiting
from rombel.fit.search._padding import cost, padding
from rombel.fit.search._plan import (
    LOGGED,
    NOWHERE,
    SLOTS,
    Counts,
    Data,
    Ints,
    Kept,
    Plan,
    base_room,
    begin_step,
    keep,
    landing_room,
    may_open,
    open_node,
    put_landing,
    undo_step,
    zone_room,
)


@njit(cache=True, nogil=True)
def stand(data: Data, plan: Plan, offers: Ints, base: Counts, land: Counts) -> None:
    """Open nodes with as much of their loads as is asked for and still fits; what was to land on them lands there again.

    ``offers`` (N,), ``base`` (N, I), ``land`` (N, S, I), or no scenarios where nothing lands.
    """
    places = np.full(len(offers), NOWHERE)
    # Slots are given out in the order of opening, so the landings below find their nodes by number.
    for number in range(len(offers)):
        offer = offers[number]
        if not may_open(data, plan, offer):
            continue
        node = open_node(data, plan, offer)
        places[number] = node
        for i in range(base.shape[1]):
            count = min(base[number, i], plan.wait[i])
            if count > 0:
                count = min(count, zone_room(data, plan, i, data.zone[offer]), base_room(data, plan, node, i))
                if count > 0:
                    put_waiting(data, plan, node, i, count)
    # Landings come after all replicas stand: a node's room for them depends on what it carries.
    for number in range(len(offers)):
        for scenario in range(land.shape[1]):
            for i in range(land.shape[2]):
                count = min(land[number, scenario, i], plan.wait_land[scenario, i])
                if count > 0 and places[number] != NOWHERE and scenario != data.zone[offers[number]]:
                    count = min(count, landing_room(data, plan, places[number], scenario, i))
                    if count > 0:
                        put_landing(data, plan, places[number], scenario, i, count)
                        plan.wait_land[scenario, i] -= count


@njit(cache=True, nogil=True)
def cost_of_change(plan: Plan, per_move: float, per_node: float) -> float:
    """Return what the step under way costs by the log: replicas put where they were not, and nodes that are new."""
    moved, bought = 0, 0
    # Only nodes of the log can differ from before the step.
    for entry in range(min(plan.top[LOGGED], len(plan.log_node))):
        node = plan.log_node[entry]
        if plan.offer[node] == NOWHERE:
            # A node that was closed costs nothing; a slot with another offer is a new node.
            continue
        same = plan.offer[node] == plan.log_offer[entry]
        bought += not same
        for i in range(plan.base.shape[1]):
            here = plan.base[node, i]
            moved += max(0, here - plan.log_base[entry, i]) if same else here
    return per_move * moved + per_node * bought


@inner
def _refill(data: Data, plan: Plan, most: int) -> None:
    """Place what waits; when nodes were emptied, swap and remove others too, else only add what the limits ask for."""
    # Half of the tries fill new nodes by a knapsack, the others place one replica after another.
    share = np.random.uniform(0.5, 0.9) if np.random.random() < 0.5 else 0.0
    recreate(data, plan, 0.4 * np.random.random(), 0.3 * np.random.random() ** 4, share, 0.9)
    if most > 0:
        tidy(data, plan)
        return
    # Only placing what waits must not throw out nodes that stand, so limits are met by adding alone.
    extra = padding(data, plan)
    for offer in np.flatnonzero(extra):
        for _ in range(extra[offer]):
            open_node(data, plan, int(offer))


@njit(cache=True, nogil=True)
def best_change(
    data: Data,
    plan: Plan,
    before: Kept,
    best: Kept,
    first: int,
    tries: int,
    most: int,
    per_move: float,
    per_node: float,
) -> float:
    """Try so many changes, take each back, and keep in ``best`` the one that gains most; return its gain, 0 for none.

    A gain is what the plan then costs less, less ``per_move`` for each replica moved and ``per_node`` for each new node. The
    first tries empty one node each, in turn, the others up to ``most``, as the search does; with ``most`` 0 nothing is emptied
    and what waits is placed. ``before`` is scratch; the steps are numbered from ``first``.
    """
    # Every try begins from the same plan, so gains can be compared.
    spent, gain = cost(data, plan), 0.0
    for number in range(tries):
        begin_step(plan, before, first + number)
        open_window(plan, WINDOW)
        # First every node by itself, once, then random neighbourhoods.
        if most > 0 and number < plan.top[SLOTS]:
            if plan.offer[number] != NOWHERE:
                empty_node(data, plan, number)
        elif most > 0:
            ruin(data, plan, most)
        _refill(data, plan, most)
        # A step that outgrew the log cannot be taken back and does not count.
        if plan.top[LOGGED] <= len(plan.log_node):
            gained = spent - cost(data, plan) - cost_of_change(plan, per_move, per_node)
            if gained > gain + 1e-6:
                gain = gained
                keep(plan, best)
        if not _taken_back(data, plan, before):
            break
    return gain


@njit(cache=True, nogil=True)
def _taken_back(data: Data, plan: Plan, before: Kept) -> bool:
    """Take back the step; its nodes differ from the kept ones again. False where it touched more than the log holds."""
    entries = plan.top[LOGGED]
    if not undo_step(data, plan, before):
        return False
    # Taken back, yet ``best`` may hold them changed: they must be written again when the next plan is kept.
    for entry in range(entries):
        plan.dirty[plan.log_node[entry]] = True
    return True
