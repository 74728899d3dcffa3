"""Step 10. How much of the search's budget a problem is given."""

from __future__ import annotations

FEW_REPLICAS, LEAST_WORK, SMALL_WORK = 150, 0.1, 0.5
"""Problems with fewer replicas are given less of the budget, down to this part: most of it would look at the same nodes again.

The part up to which it rises so; with some hundred replicas twice as much brings a tenth of a percent.
"""
MANY_REPLICAS = 1000
"""From here on the budget grows as the square root of the replicas, to ten times of it at most."""


def share_of_budget(replicas: int) -> float:
    """Return by what the budget is multiplied for a problem of so many replicas."""
    if replicas < MANY_REPLICAS:
        few = min(SMALL_WORK, replicas / FEW_REPLICAS)
        return float(max(LEAST_WORK, few, 2.0 * (replicas / MANY_REPLICAS) ** 1.25))
    return float(min(10.0, 2.0 * (replicas / MANY_REPLICAS) ** 0.5))
