"""What is asked of a search for limits, and what it tells."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from decimal import Decimal
from math import comb

from rombel.model.fit_problem import OfferKey
from rombel.model.rehearsal import PoolRange
from rombel.simulate.rehearsal.outcome import RehearsalOutcome
from rombel.simulate.rehearsal.rising import Rise

Ranges = Mapping[OfferKey, PoolRange]


@dataclass(frozen=True, slots=True)
class Promise:
    """At most so many percent of the demand wait longer than the rehearsal's late time (or are lost)."""

    most_late_percent: float

    def holds(self, found: RehearsalOutcome) -> bool:
        """Return whether a rehearsal kept it."""
        return 100 * found.share("late") <= self.most_late_percent + 1e-9


@dataclass(frozen=True, slots=True)
class Planned:
    """What limits have to keep whatever the rehearsal shows: fewest nodes for the trough with its promises, and nodes for the worst promised loss."""

    least: int = 0
    most: int = 0
    most_because: str = "the plan"


@dataclass(frozen=True, slots=True)
class LimitFound:
    """A limit of a pool in a zone, and which condition set each end and the room kept free (empty: none is)."""

    offer: OfferKey
    range: PoolRange
    least_because: str
    most_because: str
    kept_because: str = ""


@dataclass(frozen=True, slots=True)
class Trial:
    """Limits that were tried: what they cost in the time that is played, the share of demand that was late, and a word on what they are."""

    cost: Decimal
    late_share: float
    waited_min: float
    words: str


@dataclass(frozen=True, slots=True)
class Sufficing:
    """What the search found.

    Parameters
    ----------
    limits
        Of every pool in every zone; empty where no limits that were tried keep the promise.
    held, runs
        In how many of so many rehearsals, each of its own seed, the promise held under them.
    sure_percent
        With 95 percent confidence at least so many percent of all rehearsals keep it (Clopper and Pearson 1934, exact, one-sided).
    cost, before
        What the time that is played costs under them, and under the limits before.
    trials
        Those that no other trial beats in both cost and late share, the cheapest first.
    rise
        By how many nodes' room demand grows within the start of one node.
    reason
        Why there are no limits; empty where there are.

    """

    limits: tuple[LimitFound, ...]
    held: int
    runs: int
    sure_percent: float
    cost: Decimal
    before: Decimal
    trials: tuple[Trial, ...]
    rise: Rise | None = None
    reason: str = ""


def sure_percent(held: int, runs: int) -> float:
    """Return the lower end of the exact one-sided 95 percent interval of a share that was seen ``held`` times in ``runs``."""
    low, high = 0.0, 1.0
    # The share at which so many or more would be seen in one of twenty: the tail grows with it, so halving finds it.
    for _ in range(60):
        middle = (low + high) / 2
        tail = sum(comb(runs, n) * middle**n * (1 - middle) ** (runs - n) for n in range(held, runs + 1))
        low, high = (middle, high) if tail < 0.05 else (low, middle)
    return 100 * low if held else 0.0
