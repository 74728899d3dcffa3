"""Step 8. Exact bounded knapsack in several dimensions: the best pattern for one node at given class values.

Depth-first over classes in order of value for weight; a branch is cut by the Lagrangian bound ``prefix value
+ w . room left + sum of what the remaining classes gain over w``, valid for every ``w >= 0`` and tight where
``w`` solves the linear relaxation. Stopped early, the bound returned still holds for every branch left open.
After Martello and Toth 1990, *Knapsack Problems*, ch. 3 and 9 (from memory).
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from rombel.compiled import inner

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


TABLE, TABLE_CLASSES = 40_000, 150
"""A knapsack is solved by a table of so many cells at most, for so many classes at the largest."""


@njit(cache=True, nogil=True)
def _order(values: Floats, request: Ints, most: Ints, room_price: Floats) -> Ints:
    """Return the useful classes, best value for weight first."""
    rating = np.zeros(len(values))
    count = 0
    for i in range(len(values)):
        # The price of room it takes is what it costs elsewhere; classes that give most for that come first.
        if values[i] > 1e-12 and most[i] > 0:
            load = 1e-12
            for r in range(request.shape[1]):
                load += room_price[r] * request[i, r]
            rating[i] = values[i] / load
            count += 1
    return np.argsort(-rating, kind="mergesort")[:count]


@inner
def _gains(values: Floats, request: Ints, most: Ints, room_price: Floats, order: Ints) -> Floats:
    """Return, for each depth, the most that the classes from there on gain over the weights."""
    gains = np.zeros(len(order) + 1)
    # At the right prices nearly every class gains nothing, and that is what makes the bound so sharp.
    for depth in range(len(order) - 1, -1, -1):
        i = order[depth]
        gain = values[i]
        for r in range(request.shape[1]):
            gain -= room_price[r] * request[i, r]
        gains[depth] = gains[depth + 1] + max(0.0, gain) * most[i]
    return gains


@inner
def _room_for(request: Ints, room: Ints, most: int) -> int:
    """Return how many more replicas of one class the room takes."""
    count = most
    for r in range(len(room)):
        if request[r] > 0:
            count = min(count, room[r] // request[r])
    return max(count, 0)


@njit(cache=True, nogil=True)
def _limit(value: float, room: Ints, room_price: Floats, gain: float) -> float:
    """Return the bound of a branch."""
    # Whatever fills the room left is worth at most what the room is priced at, but for what still gains.
    for r in range(len(room)):
        value += room_price[r] * room[r]
    return value + gain


@inner
def _open_bound(
    values: Floats,
    request: Ints,
    room_price: Floats,
    order: Ints,
    gains: Floats,
    taken: Ints,
    capacity: Ints,
    depth: int,
) -> float:
    """Return the best bound over the branches that a stopped search has left open."""
    room, value, bound = capacity.copy(), 0.0, 0.0
    for level in range(depth):
        i = order[level]
        # A branch was left with each smaller count untried; the bound falls with the count, so the ends say enough.
        for fewer in (taken[level] - 1, 0):
            if fewer >= 0 and fewer < taken[level]:
                rest = room - fewer * request[i]
                bound = max(bound, _limit(value + fewer * values[i], rest, room_price, gains[level + 1]))
        value += taken[level] * values[i]
        room = room - taken[level] * request[i]
    return max(bound, _limit(value, room, room_price, gains[depth]))


@njit(cache=True, nogil=True)
def best_pattern(
    values: Floats, request: Ints, capacity: Ints, most: Ints, room_price: Floats, effort: int
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
    room_price
        (R,) worth of one unit of each resource, at least 0; steers and bounds the search.
    effort
        Most branches looked at.

    """
    order = _order(values, request, most, room_price)
    return ordered_pattern(values, request, capacity, most, room_price, order, effort, 1e-9)


@inner
def ordered_pattern(
    values: Floats,
    request: Ints,
    capacity: Ints,
    most: Ints,
    room_price: Floats,
    order: Ints,
    effort: int,
    tolerance: float,
) -> tuple[Ints, float, float]:
    """Return the same, looking at the classes in the given order and only for patterns better by the tolerance."""
    gains = _gains(values, request, most, room_price, order)
    size = len(order)
    taken, best_taken = np.zeros(size, np.int64), np.zeros(size, np.int64)
    # Depth first without recursion: ``taken`` is the branch, ``room`` and ``value`` belong to it.
    room, value, best, depth, looked = capacity.copy(), 0.0, 0.0, 0, 0
    while True:
        looked += 1
        bound = _limit(value, room, room_price, gains[depth])
        # Stopped: the best found stays, but the bound must cover the branches nobody looked at.
        if looked > effort:
            best_open = _open_bound(values, request, room_price, order, gains, taken, capacity, depth)
            return _spread(order, best_taken, len(values)), best, max(best, best_open)
        if depth < size and bound > best + tolerance * (1e-6 + best):
            # As many as fit first: good patterns come early and cut most of the rest.
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
        # Back to the last class of which one can be taken less.
        depth -= 1
        while depth >= 0 and taken[depth] == 0:
            depth -= 1
        if depth < 0:
            return _spread(order, best_taken, len(values)), best, best * (1.0 + tolerance) + tolerance * 1e-6
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


def price_patterns(
    values: Floats, request: Ints, capacity: Ints, most: Ints, room_price: Floats, effort: int
) -> tuple[Ints, Floats, Floats]:
    """Return the best pattern of each of B nodes: patterns (B, I), values (B,), upper bounds (B,).

    ``values`` (B, I), ``capacity`` (B, R), ``most`` (B, I), ``room_price`` (B, R); ``request`` (I, R) is shared.
    """
    # Each order of memory would be compiled for itself.
    whole = np.ascontiguousarray
    found: tuple[Ints, Floats, Floats] = _price_patterns(
        whole(values), whole(request), whole(capacity), whole(most), whole(room_price), effort
    )
    return found


@njit(cache=True, nogil=True)
def _price_patterns(
    values: Floats, request: Ints, capacity: Ints, most: Ints, room_price: Floats, effort: int
) -> tuple[Ints, Floats, Floats]:
    patterns = np.zeros(values.shape, np.int64)
    worth, bounds = np.zeros(len(values)), np.zeros(len(values))
    for b in range(len(values)):
        # A table over all rooms is exact; it pays while its cells are few.
        cells = 1
        for r in range(request.shape[1]):
            if np.any(request[:, r] > 0):
                cells = min(TABLE + 1, cells * (capacity[b, r] + 1))
        if cells <= TABLE and np.sum(np.minimum(most[b], 1)) * cells <= TABLE * TABLE_CLASSES:
            patterns[b], worth[b] = _table(values[b], request, capacity[b], most[b], cells)
            bounds[b] = worth[b] * (1.0 + 1e-9)
        else:
            patterns[b], worth[b], bounds[b] = best_pattern(
                values[b], request, capacity[b], most[b], room_price[b], effort
            )
    return patterns, worth, bounds


@njit(cache=True, nogil=True)
def _table(values: Floats, request: Ints, capacity: Ints, most: Ints, cells: int) -> tuple[Ints, float]:
    """Return the best pattern and its value by dynamic programming over all rooms a node can have left.

    O(cells x replicas); exact. ``cells`` is the product of capacity + 1 over the resources that are requested at all.
    """
    size, width = request.shape
    # Resources that nobody requests have no axis in the table.
    strides, step = np.zeros(width, np.int64), 1
    for r in range(width):
        if np.any(request[:, r] > 0):
            strides[r] = step
            step *= capacity[r] + 1
    best = np.zeros(cells)
    copies = np.zeros(size + 1, np.int64)
    for i in range(size):
        fits = most[i] if values[i] > 1e-12 else 0
        for r in range(width):
            if request[i, r] > 0:
                fits = min(fits, capacity[r] // request[i, r])
        copies[i + 1] = copies[i] + fits
    # Which copies were taken in the best filling of every room, to read the pattern back afterwards.
    took = np.zeros((copies[size], cells), np.bool_)
    for i in range(size):
        shift = np.sum(strides * request[i])
        for copy in range(copies[i], copies[i + 1]):
            # From the largest room down: each copy is used once.
            for cell in range(cells - 1, shift - 1, -1):
                fits, rest = True, cell
                for r in range(width - 1, -1, -1):
                    if strides[r] > 0:
                        fits = fits and rest // strides[r] >= request[i, r]
                        rest %= strides[r]
                if fits and best[cell - shift] + values[i] > best[cell] + 1e-12:
                    best[cell] = best[cell - shift] + values[i]
                    took[copy, cell] = True
    # The best filling of the whole room, walked back copy by copy.
    pattern, cell = np.zeros(size, np.int64), cells - 1
    for i in range(size - 1, -1, -1):
        shift = np.sum(strides * request[i])
        for copy in range(copies[i + 1] - 1, copies[i] - 1, -1):
            if took[copy, cell]:
                pattern[i] += 1
                cell -= shift
    return pattern, best[cells - 1]
