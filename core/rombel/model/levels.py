"""Replicas of each workload at trough, usual, peak and grown peak."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from fractions import Fraction

from rombel.model.demand import Basis, Demand, Level, Sizing, WorkloadKind
from rombel.model.queueing import fewest_servers

PLAIN = Sizing()
"""Of the many rows that state their replicas and nothing else."""

STEADY = 1e-9
"""What rounding errors may add to a load before it takes another replica."""


@dataclass(frozen=True, slots=True)
class LevelCount:
    """Replicas at a level, and how many were wanted before the autoscaler's bounds or the ceiling cut them."""

    replicas: int
    wanted: int

    @property
    def cut(self) -> bool:
        """Return whether a bound leaves demand unserved."""
        return self.wanted > self.replicas


def levels_of(row: Demand, growth_percent: int = 0) -> dict[Level, LevelCount]:
    """Return the replicas of a workload at every level; a daemon workload has none of its own.

    Parameters
    ----------
    row
        The workload.
    growth_percent
        Growth up to the grown peak where the workload states none of its own.

    """
    if row.kind is WorkloadKind.DAEMON:
        return dict.fromkeys(Level, LevelCount(0, 0))
    own = row.sizing.growth_percent
    if row.sizing == PLAIN and row.partitioned is None and not growth_percent:
        return dict.fromkeys(Level, LevelCount(row.replicas, row.replicas))
    factor = 1 + Fraction(growth_percent if own is None else own, 100)
    return {level: _bounded(row, _wanted(row, level, factor)) for level in Level}


def _wanted(row: Demand, level: Level, factor: Fraction) -> int:
    """Return what the level asks for before any bound."""
    sizing, grown = row.sizing, factor if level is Level.GROWN else Fraction(1)
    peak = level in (Level.PEAK, Level.GROWN)
    if sizing.basis is Basis.FIXED:
        return math.ceil(row.replicas * grown)
    if sizing.basis is Basis.RANGE:
        least, most = sizing.least or 0, sizing.most or row.replicas
        if level is Level.TROUGH:
            return least
        return math.ceil(most * grown) if peak else min(max(row.replicas, least), most)
    load = {Level.TROUGH: sizing.trough, Level.USUAL: sizing.usual}.get(level, sizing.peak) * float(grown)
    if sizing.basis is Basis.QUEUE:
        service, wait = sizing.service_s or 1.0, sizing.wait_s or 0.0
        return fewest_servers(load * service, wait / service, sizing.late_percent / 100)
    full = sizing.per_replica if sizing.basis is Basis.RATE else float(row.request.cpu_millicores)
    borne = (full or 1.0) * sizing.target_percent / 100
    return math.ceil(load / borne - STEADY)


def _bounded(row: Demand, wanted: int) -> LevelCount:
    """Return the count inside the autoscaler's bounds and the ceiling."""
    least, most = row.sizing.least or 0, row.sizing.most
    count = max(wanted, least) if most is None else min(max(wanted, least), most)
    if row.ceiling is not None:
        count = min(count, row.ceiling)
    return LevelCount(count, max(wanted, least))


def at_level(rows: Sequence[Demand], level: Level, growth_percent: int = 0) -> list[Demand]:
    """Return the rows with the replicas of a level."""
    return [replace(row, replicas=levels_of(row, growth_percent)[level].replicas) for row in rows]


def hour_shares(stated: Mapping[str, int]) -> dict[Level, Fraction]:
    """Return the share of a month's hours at each level; the grown peak is yet to come and has none."""
    whole = sum(stated.get(level, 0) for level in (Level.TROUGH, Level.USUAL, Level.PEAK)) or 1
    return {level: Fraction(0 if level is Level.GROWN else stated.get(level, 0), whole) for level in Level}
