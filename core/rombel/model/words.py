"""Words that several sentences share."""

from __future__ import annotations

from collections.abc import Sequence

from rombel.model.fit_problem import Survival

SURVIVED_BY = {
    Survival.STANDING: "spare replicas",
    Survival.LANDING: "reserved room",
    Survival.GROWING: "new nodes on loss",
}
"""How a loss is survived, as planners read it."""


def some(names: Sequence[str]) -> str:
    """Return the first three names, and how many more there are."""
    return ", ".join(names[:3]) + (f" and {len(names) - 3} more" if len(names) > 3 else "")
