"""Step 5. The best divisible load of a node, exactly: a linear program with one row for each resource, solved in place.

``max values . x`` under ``sum_i x_i request_i <= capacity``, ``0 <= x <= limits``. Its duals price the node's room; with
them every load is worth at most ``weight . capacity`` and what the limited classes gain over their room, which is what
floors and knapsack bounds rest on. A primal simplex for bounded variables with an explicit inverse of the basis:
O(pivots x classes x resources), a few tens of pivots in practice.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from rombel.compiled import inner

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]

Flags = NDArray[np.bool_]

SLACK = -1
MANY = 1_000_000
UNLIMITED = 1e12
MOST_PIVOTS = 400
TINY = 1e-11


@inner
def _entering(values: Floats, shares: Floats, room_price: Floats, upper: Flags, basic: Flags, bland: bool) -> int:
    """Return the class whose change gains most (the first that gains, under Bland's rule); SLACK when none does."""
    # Gains are compared as a share of the class's own value, so that the units of money do not matter.
    best, most = SLACK, 1e-10
    for i in range(len(values)):
        if values[i] <= 0.0 or basic[i]:
            continue
        gain = values[i]
        # Reduced cost: what it is worth less what its room is priced at.
        for r in range(len(room_price)):
            gain -= room_price[r] * shares[i, r]
        # At its limit a class gains by leaving, so the sign turns round.
        gain = (-gain if upper[i] else gain) / values[i]
        if gain > most:
            if bland:
                return i
            best, most = i, gain
    return best


@inner
def _leaving(room: Floats, column: Floats, basis: Ints, limits: Floats, own: float) -> tuple[int, float, bool]:
    """Return the row that blocks first (-1: the entering one's own limit), the step, and whether it stops at its limit."""
    # The ratio test; ties go to the row met first.
    row_out, step, at_limit = -1, own, False
    for row in range(len(room)):
        if column[row] > TINY:
            if room[row] / column[row] < step:
                row_out, step, at_limit = row, room[row] / column[row], False
        elif column[row] < -TINY and basis[row] >= 0 and limits[basis[row]] < UNLIMITED:
            # A basic class may also run into its own limit instead of out of room.
            left = max(0.0, (limits[basis[row]] - room[row]) / -column[row])
            if left < step:
                row_out, step, at_limit = row, left, True
    return row_out, step, at_limit


@inner
def divisible_load(values: Floats, shares: Floats, limits: Floats, basis: Ints) -> Floats:
    """Return (R,) weights of a node's resources, at least 0, under which no class without limit is worth more than its room.

    ``values`` (I,) worth of a replica, 0 for classes left out; ``shares`` (I, R) request over capacity, so that the room
    is 1 in each resource; ``limits`` (I,) most replicas, ``UNLIMITED`` for none. ``basis`` (R,) receives the classes of
    the best load that are not at a limit, ``SLACK`` where room is left.
    """
    width = shares.shape[1]
    # The inverse of the basis is carried along: with three or four resources it is smaller than any factorisation.
    inverse, room, room_price = np.eye(width), np.ones(width), np.zeros(width)
    upper, basic = np.zeros(len(values), np.bool_), np.zeros(len(values), np.bool_)
    basis[:] = SLACK
    for pivot in range(MOST_PIVOTS):
        room_price[:] = 0.0
        for row in range(width):
            if basis[row] >= 0:
                room_price += values[basis[row]] * inverse[row]
        # A negative price of room means that leaving room free is worth more: its slack comes back first.
        resource = np.argmin(room_price)
        direction, own, entering = 1.0, UNLIMITED, SLACK
        if room_price[resource] < -1e-12:
            column = inverse[:, resource].copy()
        else:
            entering = _entering(values, shares, room_price, upper, basic, pivot > MOST_PIVOTS // 2)
            if entering == SLACK:
                break
            direction, own = (-1.0 if upper[entering] else 1.0), limits[entering]
            column = np.zeros(width)
            for row in range(width):  # A matrix product would need a linear-algebra library at run time.
                column[row] = direction * np.sum(inverse[row] * shares[entering])
        row, step, at_limit = _leaving(room, column, basis, limits, own)
        # Nothing blocks: only by rounding, as every class takes some room.
        if step >= UNLIMITED:
            break
        # Rounding must not leave a room slightly under nothing.
        for other in range(width):
            room[other] = max(0.0, room[other] - step * column[other])
        if row == -1:
            # The class runs to its other limit and the basis stays as it is.
            upper[entering] = not upper[entering]
            continue
        if basis[row] >= 0:
            basic[basis[row]], upper[basis[row]] = False, at_limit
        room[row] = step
        if entering != SLACK:
            basic[entering] = True
            room[row] = step if direction > 0 else limits[entering] - step
            upper[entering] = False
        basis[row] = entering
        _pivot(inverse, direction * column, row)
    return _valid(values, shares, limits, room_price)


@inner
def _pivot(inverse: Floats, column: Floats, leaving: int) -> None:
    """Bring the column into the basis in place of a row."""
    inverse[leaving] /= column[leaving]
    for row in range(len(column)):
        if row != leaving and column[row] != 0.0:
            inverse[row] -= column[row] * inverse[leaving]


@inner
def _valid(values: Floats, shares: Floats, limits: Floats, room_price: Floats) -> Floats:
    """Return the weights raised until every class without limit is covered in spite of rounding."""
    # Classes with a limit need no cover by room: what they earn on top is paid for by their limit.
    factor, dearest = 1.0, 0.0
    room_price = np.maximum(room_price, 0.0)
    for i in range(len(values)):
        if values[i] > 0.0 and limits[i] >= UNLIMITED:
            room = np.sum(room_price * shares[i])
            dearest = max(dearest, values[i] / max(np.sum(shares[i]), 1e-12))
            factor = max(factor, values[i] / max(room, 1e-300))
    return room_price * factor if factor < 1e100 else np.full(len(room_price), dearest)


def divisible_loads(values: Floats, limits: Ints, request: Ints, capacity: Ints) -> tuple[Floats, Ints, Floats]:
    """Return weights of the resources of B nodes (B, R), classes of each best load (B, R), and its worth (B,).

    ``values`` (B, I), ``limits`` (B, I) most replicas of a class, 0 where it may not run, ``MANY`` and more for no limit;
    ``request`` (I, R), ``capacity`` (B, R). Weights are for whole units of a resource.
    """
    # Each order of memory would be compiled for itself.
    whole = np.ascontiguousarray
    found: tuple[Floats, Ints, Floats] = _divisible_loads(whole(values), whole(limits), whole(request), whole(capacity))
    return found


@njit(cache=True, nogil=True)
def _divisible_loads(values: Floats, limits: Ints, request: Ints, capacity: Ints) -> tuple[Floats, Ints, Floats]:
    count, width = capacity.shape
    room_prices, bases, pays = np.zeros((count, width)), np.zeros((count, width), np.int64), np.zeros(count)
    shares, own, most = np.zeros(request.shape), np.zeros(len(request)), np.zeros(len(request))
    for b in range(count):
        for i in range(len(request)):
            # A class that may not run here is worth nothing here.
            own[i] = values[b, i] if limits[b, i] > 0 else 0.0
            most[i] = limits[b, i] if limits[b, i] < MANY else UNLIMITED
            for r in range(width):
                shares[i, r] = request[i, r] / max(capacity[b, r], 1)
        room_price = divisible_load(own, shares, most, bases[b])
        pays[b] = np.sum(room_price)
        for i in range(len(request)):
            # Beyond the prices of room, a class with a limit brings its gain times the limit.
            if own[i] > 0.0 and most[i] < UNLIMITED:
                pays[b] += most[i] * max(0.0, own[i] - np.sum(room_price * shares[i]))
        room_prices[b] = room_price / np.maximum(capacity[b], 1)
    return room_prices, bases, pays
