"""Exact bounded knapsack in several dimensions: the best pattern for one node at given class values.

Depth-first over classes in order of value for weight; a branch is cut by the Lagrangian bound ``prefix value
+ w . room left + sum of what the remaining classes gain over w``, valid for every ``w >= 0`` and tight where
``w`` solves the linear relaxation. Stopped early, the bound returned still holds for every branch left open.
After Martello and Toth 1990, *Knapsack Problems*, ch. 3 and 9 (from memory).
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


@njit(cache=True, nogil=True)
def _order(values: Floats, request: Ints, most: Ints, weight: Floats) -> Ints:
    """Return the useful classes, best value for weight first."""
    rating = np.zeros(len(values))
    count = 0
    for i in range(len(values)):
        if values[i] > 1e-12 and most[i] > 0:
            load = 1e-12
            for r in range(request.shape[1]):
                load += weight[r] * request[i, r]
            rating[i] = values[i] / load
            count += 1
    return np.argsort(-rating, kind="mergesort")[:count]


@njit(cache=True, nogil=True)
def _gains(values: Floats, request: Ints, most: Ints, weight: Floats, order: Ints) -> Floats:
    """Return, for each depth, the most that the classes from there on gain over the weights."""
    gains = np.zeros(len(order) + 1)
    for depth in range(len(order) - 1, -1, -1):
        i = order[depth]
        gain = values[i]
        for r in range(request.shape[1]):
            gain -= weight[r] * request[i, r]
        gains[depth] = gains[depth + 1] + max(0.0, gain) * most[i]
    return gains


@njit(cache=True, nogil=True)
def _room_for(request: Ints, room: Ints, most: int) -> int:
    """Return how many more replicas of one class the room takes."""
    count = most
    for r in range(len(room)):
        if request[r] > 0:
            count = min(count, room[r] // request[r])
    return max(count, 0)


@njit(cache=True, nogil=True)
def _limit(value: float, room: Ints, weight: Floats, gain: float) -> float:
    """Return the bound of a branch."""
    for r in range(len(room)):
        value += weight[r] * room[r]
    return value + gain


@njit(cache=True, nogil=True)
def _open_bound(
    values: Floats, request: Ints, weight: Floats, order: Ints, gains: Floats, taken: Ints, capacity: Ints, depth: int
) -> float:
    """Return the best bound over the branches that a stopped search has left open."""
    room, value, bound = capacity.copy(), 0.0, 0.0
    for level in range(depth):
        i = order[level]
        for fewer in (taken[level] - 1, 0):
            if fewer >= 0 and fewer < taken[level]:
                rest = room - fewer * request[i]
                bound = max(bound, _limit(value + fewer * values[i], rest, weight, gains[level + 1]))
        value += taken[level] * values[i]
        room = room - taken[level] * request[i]
    return max(bound, _limit(value, room, weight, gains[depth]))


@njit(cache=True, nogil=True)
def best_pattern(
    values: Floats, request: Ints, capacity: Ints, most: Ints, weight: Floats, effort: int
) -> tuple[Ints, float, float]:
    """Return the best pattern found, its value, and an upper bound on every pattern's value.

    Parameters
    ----------
    values
        (I,) worth of one replica of each class.
    request
        (I, R) amounts of one replica.
    capacity
        (R,) room of the node.
    most
        (I,) most replicas of each class.
    weight
        (R,) worth of one unit of each resource, at least 0; steers and bounds the search.
    effort
        Most branches looked at.

    """
    order = _order(values, request, most, weight)
    gains = _gains(values, request, most, weight, order)
    size = len(order)
    taken, best_taken = np.zeros(size, np.int64), np.zeros(size, np.int64)
    room, value, best, depth, looked = capacity.copy(), 0.0, 0.0, 0, 0
    while True:
        looked += 1
        bound = _limit(value, room, weight, gains[depth])
        if looked > effort:
            best_open = _open_bound(values, request, weight, order, gains, taken, capacity, depth)
            return _spread(order, best_taken, len(values)), best, max(best, best_open)
        if depth < size and bound > best + 1e-9 * (1.0 + best):
            i = order[depth]
            taken[depth] = _room_for(request[i], room, most[i])
            room -= taken[depth] * request[i]
            value += taken[depth] * values[i]
            depth += 1
            if value > best:
                best = value
                best_taken[:depth] = taken[:depth]
                best_taken[depth:] = 0
            continue
        depth -= 1
        while depth >= 0 and taken[depth] == 0:
            depth -= 1
        if depth < 0:
            return _spread(order, best_taken, len(values)), best, best * (1.0 + 1e-9)
        taken[depth] -= 1
        room += request[order[depth]]
        value -= values[order[depth]]
        depth += 1


@njit(cache=True, nogil=True)
def _spread(order: Ints, taken: Ints, size: int) -> Ints:
    """Return counts by class index."""
    pattern = np.zeros(size, np.int64)
    for depth in range(len(order)):
        pattern[order[depth]] = taken[depth]
    return pattern


@njit(cache=True, nogil=True)
def price_patterns(
    values: Floats, request: Ints, capacity: Ints, most: Ints, weight: Floats, effort: int
) -> tuple[Ints, Floats, Floats]:
    """Return the best pattern of each of B nodes: patterns (B, I), values (B,), upper bounds (B,).

    ``values`` (B, I), ``capacity`` (B, R), ``most`` (B, I), ``weight`` (B, R); ``request`` (I, R) is shared.
    """
    patterns = np.zeros(values.shape, np.int64)
    worth, bounds = np.zeros(len(values)), np.zeros(len(values))
    for b in range(len(values)):
        patterns[b], worth[b], bounds[b] = best_pattern(values[b], request, capacity[b], most[b], weight[b], effort)
    return patterns, worth, bounds
