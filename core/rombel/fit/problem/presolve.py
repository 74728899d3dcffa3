"""Step 1. What of a problem cannot matter: resources that never bind, parts of a node that no sum of requests can fill, price scale."""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]

SURELY = 1 - 1e-9
"""Products of large amounts are compared as floats, so that a resource goes only where it is clearly idle."""


def binding_resources(capacity: Ints, request: Ints, most: Ints, keep: Collection[int] = ()) -> Ints:
    """Return the places of the resources that may bind, in order; always one at least.

    A resource is idle where, on every offer, all replicas that may share a node fit into it together, or every replica takes a
    smaller part of it than of another resource that stays: whatever fits into that one fits into it too.

    Parameters
    ----------
    capacity, request
        (J, R) room of a node of each offer and (I, R) request of a replica of each class.
    most
        (J, I) most replicas of a class on a node; 0: none may run there.
    keep
        Places of resources that stay in any case.

    """
    # Products of bytes and replicas outgrow whole numbers of 64 bits, hence floats with a margin.
    room, asked = capacity.astype(float), request.astype(float)
    runs = most > 0
    # Idle where even the most replicas that could ever share the node do not fill it.
    alone = most.astype(float) @ asked <= room * SURELY
    alone |= ~((asked > 0)[None] & runs[:, :, None]).any(axis=1)
    stays = list(range(capacity.shape[1]))
    fullest = (asked[None] / np.maximum(room, 1)[:, None] * runs[:, :, None]).max(axis=(0, 1), initial=0.0)
    # The emptiest first: of two resources in the same ratio the fuller one must stay.
    for r in sorted(stays, key=lambda index: (fullest[index], index)):
        idle = alone[:, r].copy()
        for other in stays:
            # Idle too where another resource is fuller by every class that may run: that one runs out first.
            if other != r:
                smaller = (
                    asked[:, r][None] * room[:, other][:, None] <= asked[:, other][None] * room[:, r][:, None] * SURELY
                )
                idle |= (smaller | (asked[:, r] == 0)[None] | ~runs).all(axis=1)
        # One resource always stays, or there would be nothing to pack by.
        if idle.all() and r not in keep and len(stays) > 1:
            stays.remove(r)
    return np.array(stays, np.int64)


def grains(request: Ints) -> Ints:
    """Return (R,) the greatest common divisor of all requests of each resource; 1 where none is requested.

    Every sum of requests is a multiple of it, so what a node has beyond a multiple is of no use.
    """
    return np.maximum(np.gcd.reduce(request, axis=0), 1) if len(request) else np.ones(request.shape[1], np.int64)


def whole_prices(prices: Sequence[Decimal]) -> tuple[Ints, Decimal]:
    """Return prices as whole numbers without a common divisor, and the money that 1 of them is."""
    # Whole numbers of the smallest unit that all prices are multiples of: sums are exact then.
    digits = max((_decimals(price) for price in prices), default=0)
    whole = [int(price.scaleb(digits)) for price in prices]
    step = math.gcd(*whole) or 1
    return np.array([price // step for price in whole], np.int64), Decimal(step).scaleb(-digits)


def _decimals(price: Decimal) -> int:
    exponent = price.normalize().as_tuple().exponent
    return max(0, -exponent) if isinstance(exponent, int) else 0
