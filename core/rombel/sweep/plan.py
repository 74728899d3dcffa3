"""What a sweep asks: every choice under every future, each of them one fit."""

from __future__ import annotations

import math
import random
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from decimal import Decimal
from enum import StrEnum
from fractions import Fraction
from statistics import NormalDist
from typing import TypeVar

K = TypeVar("K")
V = TypeVar("V")

MOST_POINTS = 2_000
"""Fits of one sweep."""
FEWEST_DRAWS, MOST_DRAWS = 2, 1_000


class Choice(StrEnum):
    """What a planner decides."""

    VARIANT = "variants"
    REGION = "regions"
    PROMISE = "promise"


class Unknown(StrEnum):
    """What nobody decides: changes of demand and of prices, growth up to the grown peak; all in percent."""

    DEMAND = "demand"
    GROWTH = "growth"
    PRICES = "prices"
    INTERRUPTIBLE = "interruptible prices"


@dataclass(frozen=True, slots=True)
class Spread:
    """Between which values something unknown lies, in percent.

    Parameters
    ----------
    low, high
        Nothing outside of them is drawn.
    likely
        Where it most likely lies; None: everywhere alike.
    deviation
        Standard deviation around ``likely``, of a normal distribution; None: triangular.

    """

    low: Decimal
    high: Decimal
    likely: Decimal | None = None
    deviation: Decimal | None = None

    def at(self, share: float) -> float:
        """Return the value below which it lies in a share of all cases, 0 to 1, both excluded."""
        low, high = float(self.low), float(self.high)
        if self.likely is None:
            return low + share * (high - low)
        likely = float(self.likely)
        if self.deviation is not None:
            spread = float(self.deviation)
            return min(high, max(low, NormalDist(likely, spread).inv_cdf(share) if spread else likely))
        rising = (likely - low) / (high - low) if high > low else 0.0
        # Inverse of the triangular distribution, by its two branches.
        if share < rising:
            return low + math.sqrt(share * (high - low) * (likely - low))
        return high - math.sqrt((1 - share) * (high - low) * (high - likely))


@dataclass(frozen=True, slots=True)
class Point:
    """One fit that a sweep asks for: its numbers among choices and futures, what is chosen, and what the future brings in percent."""

    choice: int
    future: int
    chosen: Mapping[Choice, str]
    brings: Mapping[Unknown, Decimal]


@dataclass(frozen=True, slots=True)
class SweepPlan:
    """Every combination of choices under every combination of futures.

    Parameters
    ----------
    choices
        Values of each choice that is looked at.
    grid
        Values of what is unknown and looked at step by step.
    drawn
        Values of what is unknown and drawn at random, as many of each: the first of all belong together, and so on.

    """

    choices: Mapping[Choice, tuple[str, ...]] = field(default_factory=dict)
    grid: Mapping[Unknown, tuple[Decimal, ...]] = field(default_factory=dict)
    drawn: Mapping[Unknown, tuple[Decimal, ...]] = field(default_factory=dict)

    @property
    def draws(self) -> int:
        """Return how many futures are drawn at each step of the grid; 1 where none are."""
        return len(next(iter(self.drawn.values()), ("",)))

    @property
    def choice_count(self) -> int:
        """Return how many combinations of choices there are."""
        return math.prod(map(len, self.choices.values()))

    @property
    def future_count(self) -> int:
        """Return how many futures there are."""
        return math.prod(map(len, self.grid.values())) * self.draws

    @property
    def size(self) -> int:
        """Return how many points there are."""
        return self.choice_count * self.future_count

    def point(self, number: int) -> Point:
        """Return a point; the futures of one choice follow each other, so that neighbours differ by little."""
        choice, future = divmod(number, self.future_count)
        return Point(choice, future, self.chosen(choice), self.brings(future))

    def chosen(self, choice: int) -> dict[Choice, str]:
        """Return what is chosen in a combination of choices."""
        return _mixed(choice, self.choices)

    def brings(self, future: int) -> dict[Unknown, Decimal]:
        """Return what a future brings."""
        step, draw = divmod(future, self.draws)
        return _mixed(step, self.grid) | {name: values[draw] for name, values in self.drawn.items()}


def _mixed(number: int, axes: Mapping[K, Sequence[V]]) -> dict[K, V]:
    """Return the values of a combination; the last axis turns fastest."""
    found: dict[K, V] = {}
    for name in reversed(list(axes)):
        number, place = divmod(number, len(axes[name]))
        found[name] = axes[name][place]
    return {name: found[name] for name in axes}


def draw(spreads: Mapping[Unknown, Spread], count: int, seed: int) -> dict[Unknown, tuple[Decimal, ...]]:
    """Return so many values of each, one from each of so many parts of equal probability, in an order of its own.

    A Latin hypercube: with few draws each quantity is spread as evenly as it would be alone (McKay, Beckman and Conover 1979,
    Technometrics 21:239-245, from memory). Growth is drawn in whole percent, everything else in tenths.
    """
    rng = random.Random(seed)
    found = {}
    for name, spread in spreads.items():
        parts = list(range(count))
        rng.shuffle(parts)
        step = Decimal(1) if name is Unknown.GROWTH else Decimal("0.1")
        # Never on either end, where a normal distribution has no value.
        shares = [(part + min(max(rng.random(), 1e-9), 1 - 1e-9)) / count for part in parts]
        found[name] = tuple(Decimal(str(spread.at(share))).quantize(step) for share in shares)
    return found


def factor(percent: Decimal) -> Fraction:
    """Return by what a change in percent multiplies."""
    return 1 + Fraction(percent) / 100
