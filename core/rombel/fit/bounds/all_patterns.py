"""Step 7. Every pattern of a node, listed: how many replicas of each class it may carry at once."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from rombel.fit.problem.instance import Ints

Pattern = tuple[int, ...]


STEPS_A_PATTERN = 4
"""Steps taken for each pattern that may be listed: where many classes are, a pattern takes many, and the list is given up soon."""
MOST_CLASSES = 200
"""The list goes one call deep for each class."""


class TooLarge(Exception):
    """More patterns or columns than the params allow."""


def all_patterns(
    caps: Sequence[int], request: Ints, room: Sequence[int], apart: np.ndarray, limit: int
) -> list[Pattern]:
    """Return every pattern of a node within the caps, that of nothing included.

    Parameters
    ----------
    caps
        (I,) most replicas of each class on the node.
    request
        (I, R) what one replica asks.
    room
        (R,) what the node has.
    apart
        (I, I) whether two classes may not share a node.
    limit
        Loads listed at most.

    Raises
    ------
    TooLarge
        When there are more, or when finding them takes too many steps.

    """
    found: list[Pattern] = []
    pattern, asked = [0] * len(caps), [[int(amount) for amount in row] for row in request]
    # Only classes before this one are looked at: the pair is found from the later of the two.
    others = [np.flatnonzero(row[:index]).tolist() for index, row in enumerate(apart)]
    steps = STEPS_A_PATTERN * limit

    def fill(i: int, left: list[int]) -> None:
        nonlocal steps
        steps -= 1
        if steps < 0:
            raise TooLarge
        if i == len(caps):
            found.append(tuple(pattern))
            if len(found) > limit:
                raise TooLarge
            return
        most = caps[i]
        for amount, have in zip(asked[i], left, strict=True):
            if amount:
                most = min(most, have // amount)
        # A class kept apart from one that is there already has no place on this node.
        if any(pattern[other] for other in others[i]):
            most = 0
        for count in range(max(0, most) + 1):
            pattern[i] = count
            fill(i + 1, [have - count * amount for have, amount in zip(left, asked[i], strict=True)])
        # The list is shared by all calls, so the place is cleared on the way back.
        pattern[i] = 0

    if len(caps) > MOST_CLASSES:
        raise TooLarge
    fill(0, [int(amount) for amount in room])
    return found


def maximal(patterns: list[Pattern]) -> list[Pattern]:
    """Return the patterns to which no replica can be added: what carries more covers what carries less."""
    # Patterns within the caps are closed downwards: if nothing one larger is known, nothing larger at all is.
    known = set(patterns)
    return [
        pattern
        for pattern in patterns
        if not any((*pattern[:i], pattern[i] + 1, *pattern[i + 1 :]) in known for i in range(len(pattern)))
    ]
