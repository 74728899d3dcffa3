"""Replica autoscaling as the API publishes it, in whole numbers: no rounding error decides at the edge of a tolerance.

Documentation "Horizontal Pod Autoscaling", algorithm details and configurable scaling behaviour, from memory; the fields' text is that of
the API reference. Functions here know one workload at one moment; what they remember of it is handed to them.
"""

from __future__ import annotations

import numpy as np
from numba import njit
from numpy.typing import NDArray

from rombel.compiled import inner

Ints = NDArray[np.int64]

MAX, MIN, DISABLED = 0, 1, 2
"""Which policy counts; the order of ``Select``."""
PODS, PERCENT = 0, 1
KIND, VALUE, PERIOD = 0, 1, 2
"""Columns of a policy."""
PERMILLE = 1000


@inner
def ceil_div(value: int, by: int) -> int:
    """Return the quotient rounded up."""
    return -(-value // by)


@njit(cache=True, nogil=True)
def recommended(
    used: int, ready: int, unready: int, missing: int, target: int, up_permille: int, down_permille: int, current: int
) -> int:
    """Return the replicas that one metric asks for.

    Parameters
    ----------
    used
        What all ready pods with a metric use together.
    ready, unready, missing
        Pods with a metric, pods that do not serve yet, pods whose metric is missing.
    target
        What each should use.
    up_permille, down_permille
        Tolerances in thousandths of the target.
    current
        Replicas now, returned where the metric asks for no change.

    """
    if ready == 0:
        return current
    rising = used > ready * target
    if unready * rising + missing == 0:
        if _tolerated(used, ready * target, up_permille, down_permille):
            return current
        return ceil_div(used, target)
    # Pods that say nothing count against the change: as idle where it would grow, as fully used where it would shrink.
    if rising:
        pods = ready + unready + missing
    else:
        pods = ready + missing
        used += missing * target
    reverses = (used > pods * target) != rising
    if reverses or _tolerated(used, pods * target, up_permille, down_permille):
        return current
    wanted = ceil_div(used, target)
    return current if (wanted < current) == rising else wanted


@inner
def _tolerated(used: int, aim: int, up_permille: int, down_permille: int) -> bool:
    """Return whether use is near enough to what is aimed at: exact, and the edge itself is near enough."""
    return aim * (PERMILLE - down_permille) <= used * PERMILLE <= aim * (PERMILLE + up_permille)


@njit(cache=True, nogil=True)
def stabilised(current: int, lowest: int, highest: int) -> int:
    """Return the count that both windows agree to.

    ``lowest`` is the least that was recommended in the window for growing, ``highest`` the most in that for shrinking, what is
    recommended now included in both.
    """
    return min(max(current, lowest), highest)


@inner
def changed_within(changes: Ints, now: int, period: int, sign: int) -> int:
    """Return how many replicas came (sign 1) or went (-1) in the period before now; ``changes`` (H, 2) holds times and differences."""
    total = 0
    for h in range(changes.shape[0]):
        if changes[h, 0] > now - period and changes[h, 1] * sign > 0:
            total += changes[h, 1] * sign
    return total


@njit(cache=True, nogil=True)
def most_after(policies: Ints, select: int, changes: Ints, now: int, current: int) -> int:
    """Return how far a count may grow now; without policies as far as wanted."""
    if select == DISABLED:
        return current
    result = -1
    for p in range(policies.shape[0]):
        began = current - changed_within(changes, now, policies[p, PERIOD], 1)
        value = policies[p, VALUE]
        most = began + value if policies[p, KIND] == PODS else ceil_div(began * (100 + value), 100)
        if result < 0 or (most > result) == (select == MAX):
            result = most
    # What grew already within the period is not taken back.
    return 1 << 60 if result < 0 else max(result, current)


@njit(cache=True, nogil=True)
def least_after(policies: Ints, select: int, changes: Ints, now: int, current: int) -> int:
    """Return how far a count may shrink now; without policies as far as wanted."""
    if select == DISABLED:
        return current
    found, result = False, 0
    for p in range(policies.shape[0]):
        began = current + changed_within(changes, now, policies[p, PERIOD], -1)
        value = policies[p, VALUE]
        # Percent are rounded so that more goes: of 72 pods 10 % are 8 (the documentation's own example).
        least = began - value if policies[p, KIND] == PODS else began * (100 - value) // 100
        if not found or (least < result) == (select == MAX):
            found, result = True, least
    return min(result, current)
