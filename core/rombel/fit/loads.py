"""Every load of a node, listed: how many replicas of each class it may carry at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from rombel.fit.instance import Ints

Load = tuple[int, ...]


class TooLarge(Exception):
    """More loads or columns than the params allow."""


def all_loads(caps: Sequence[int], request: Ints, room: Sequence[int], apart: np.ndarray, limit: int) -> list[Load]:
    """Return every load of a node within the caps, that of nothing included."""
    found: list[Load] = []
    load = [0] * len(caps)

    def fill(i: int, left: list[int]) -> None:
        if i == len(caps):
            found.append(tuple(load))
            if len(found) > limit:
                raise TooLarge
            return
        barred = any(load[other] and apart[i, other] for other in range(i))
        count = 0
        while True:
            load[i] = count
            fill(i + 1, [have - count * int(asked) for have, asked in zip(left, request[i], strict=True)])
            count += 1
            if barred or count > caps[i] or any(count * int(a) > h for a, h in zip(request[i], left, strict=True)):
                break
        load[i] = 0

    fill(0, [int(amount) for amount in room])
    return found


def maximal(loads: list[Load]) -> list[Load]:
    """Return the loads to which no replica can be added: what carries more covers what carries less."""
    known = set(loads)
    return [
        load for load in loads if not any((*load[:i], load[i] + 1, *load[i + 1 :]) in known for i in range(len(load)))
    ]
