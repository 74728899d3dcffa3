"""Distributions of how many are lost, in unavailability: sums of positive terms only, so that many nines stay exact."""

from __future__ import annotations

import math
from collections.abc import Sequence
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]

NEGLIGIBLE = 1e-60
"""Terms below are dropped from the far end of a distribution."""


def binomial_lost(count: int, share: float) -> Floats:
    """Return the probabilities that 0, 1, ... ``count`` of ``count`` independent things are down.

    Parameters
    ----------
    count
        How many there are.
    share
        Probability that one is down.

    Returns
    -------
    Array of ``count + 1`` probabilities, cut at the far end where they are negligible.

    """
    if share <= 0 or count == 0:
        return np.ones(1)
    if share >= 1:
        return np.concatenate([np.zeros(count), np.ones(1)])
    lost = np.arange(1, count + 1)
    # Recurrence of binomial terms in logarithms: none underflows before it is needed.
    steps = np.log((count + 1 - lost) / lost) + math.log(share) - math.log1p(-share)
    logs = np.concatenate([[0.0], np.cumsum(steps)]) + count * math.log1p(-share)
    chances = np.exp(logs)
    kept = np.flatnonzero(chances > NEGLIGIBLE)
    return chances[: int(kept[-1]) + 1]


@lru_cache(maxsize=10_000)
def lost_with_nodes(groups: tuple[tuple[int, int, float], ...]) -> Floats:
    """Return the distribution of replicas lost with their nodes; with one replica a node, the Poisson-binomial one.

    Parameters
    ----------
    groups
        ``(replicas on a node, number of such nodes, share of time such a node is down)``.

    """
    chances = np.ones(1)
    for size, count, share in groups:
        nodes = binomial_lost(count, share)
        # Every lost node takes ``size`` replicas, so only multiples can be lost with this kind.
        spread = np.zeros((len(nodes) - 1) * size + 1)
        spread[::size] = nodes
        # Kinds of nodes fail apart from each other: their losses add up, and distributions are convolved.
        chances = np.convolve(chances, spread)
        kept = np.flatnonzero(chances > NEGLIGIBLE)
        chances = chances[: int(kept[-1]) + 1]
    return chances


@lru_cache(maxsize=20_000)
def fewer_up(count: int, needed: int, share: float) -> float:
    """Return the probability that fewer than ``needed`` of ``count`` are up, each down with probability ``share``.

    One for ``count < needed``, zero for ``needed <= 0``. ``1 - fewer_up`` is the k-of-n reliability of the handbooks
    (IEC 61078); here it is the small number that is computed.
    """
    if needed <= 0 or (share <= 0 and count >= needed):
        return 0.0
    if count < needed or share >= 1:
        return 1.0
    # The term from which on too few are up.
    first = count - needed + 1
    if first <= count * share:  # More are lost on average: the rest is the smaller sum.
        # Where most of the mass lies in the tail the other side is summed: the smaller sum loses fewer digits.
        return 1.0 - float(_chance(count, share, 0, first - 1))
    return _chance(count, share, first, count)


def _chance(count: int, share: float, first: int, last: int) -> float:
    """Return the probability that from ``first`` to ``last`` are down, summed from the larger terms down."""
    odds = math.log(share) - math.log1p(-share)
    # The first term by logarithms of factorials, the rest by ratios of neighbours.
    logs = math.lgamma(count + 1) - math.lgamma(first + 1) - math.lgamma(count - first + 1)
    start = math.exp(logs + first * odds + count * math.log1p(-share))
    lost = np.arange(first, last)
    if start == 0.0 and first == 0:  # The first term underflows, not the sum.
        return float(binomial_lost(count, share)[first : last + 1].sum())
    ratios = (count - lost) / (lost + 1) * (share / (1 - share))
    return float(start * (1 + np.cumprod(ratios).sum()))


@lru_cache(maxsize=20_000)
def fewer_left(groups: tuple[tuple[int, int, float], ...], needed: int, share: float) -> float:
    """Return the probability that fewer than ``needed`` replicas are up, with nodes and replicas that may be down.

    Parameters
    ----------
    groups
        As ``lost_with_nodes`` takes them.
    needed
        How many must be up.
    share
        Share of time in which a replica is down by itself, its node standing.

    """
    whole = sum(size * count for size, count, _ in groups)
    # Given how many fell with their nodes, the others fail by themselves.
    lost = lost_with_nodes(groups)
    return float(sum(chance * fewer_up(whole - n, needed, share) for n, chance in enumerate(lost.tolist()) if chance))


def series_unavailability(shares: Sequence[Floats | float]) -> Floats:
    """Return the probability that any of several independent parts is down; elementwise over arrays."""
    # Logarithms of one plus: a share of 1e-12 would vanish in a product of availabilities.
    return np.asarray(-np.expm1(sum(np.log1p(-np.minimum(share, 1 - 1e-16)) for share in shares)))


def fewer_of(needed: int, shares: Sequence[Floats | float]) -> Floats:
    """Return the probability that fewer than ``needed`` of several independent parts are up; elementwise over arrays."""
    count = len(shares)
    # All of them needed is a series, which has a formula of its own.
    if needed == count:
        return series_unavailability(shares)
    parts = [np.asarray(share, dtype=np.float64) for share in shares]
    # By dynamic programming over the parts: entry n holds the chance that n of those looked at are down.
    unavailability = [np.ones(np.broadcast_shapes(*(part.shape for part in parts)))]
    for share in parts:
        longer = [unavailability[0] * (1 - share)]
        longer += [
            unavailability[n] * (1 - share) + unavailability[n - 1] * share for n in range(1, len(unavailability))
        ]
        unavailability = [*longer, unavailability[-1] * share]
    return np.asarray(sum(unavailability[count - needed + 1 :]))
