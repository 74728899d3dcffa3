"""What comes nearest to an instance type that is missing in a zone."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal

from rombel.errors import refuse


@dataclass(frozen=True, slots=True)
class Candidate:
    """A type as offered in one zone: what a node of it can use, and its cheapest price an hour there."""

    name: str
    architecture: str
    usable_cpu_millicores: int
    usable_memory_bytes: int
    price_per_hour: Decimal


@dataclass(frozen=True, slots=True)
class Substitute:
    """A candidate with its distance (0: the same) and its ratios to the type it stands in for."""

    candidate: Candidate
    distance: float
    cpu_ratio: float
    memory_ratio: float
    price_ratio: float


def nearest(wanted: Candidate, offered: Sequence[Candidate], most: int = 3) -> list[Substitute]:
    """Return the nearest offered types of the same architecture, nearest first.

    The distance is the sum of the absolute logarithms of the ratios of usable CPU, usable memory and price: twice
    as large counts as far as half as large, whatever the size. Equals keep the cheaper first, then the name.

    Raises
    ------
    InputRefused
        When the wanted type itself has nothing usable.

    """
    if min(wanted.usable_cpu_millicores, wanted.usable_memory_bytes) <= 0:
        raise refuse("catalogue.usable", "", f"'{wanted.name}' has nothing usable.", "Lower the reservation rule.")
    found = [
        _substitute(wanted, entry)
        for entry in offered
        if entry.name != wanted.name
        and entry.architecture == wanted.architecture
        and min(entry.usable_cpu_millicores, entry.usable_memory_bytes) > 0
    ]
    return sorted(found, key=lambda e: (e.distance, e.candidate.price_per_hour, e.candidate.name))[:most]


def _substitute(wanted: Candidate, entry: Candidate) -> Substitute:
    cpu = entry.usable_cpu_millicores / wanted.usable_cpu_millicores
    memory = entry.usable_memory_bytes / wanted.usable_memory_bytes
    price = float(entry.price_per_hour / wanted.price_per_hour)
    # In powers of two: twice as large is as far as half as large.
    distance = sum(abs(math.log2(ratio)) for ratio in (cpu, memory, price))
    return Substitute(entry, distance, cpu, memory, price)
