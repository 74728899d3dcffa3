"""Replicas of each workload at trough, usual, peak and grown peak."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, fields, is_dataclass, replace
from fractions import Fraction
from functools import cache
from typing import Any

from rombel.errors import Fault
from rombel.model.bounds import (
    MOST_ALL_REPLICAS,
    MOST_BYTES,
    MOST_CPU_MILLICORES,
    MOST_OWNER,
    MOST_REPLICAS,
    MOST_WHOLE,
    unprintable,
)
from rombel.model.demand import Basis, Demand, Level, Sizing, WorkloadKind
from rombel.model.demand_faults import demand_faults
from rombel.model.queueing import fewest_servers

PLAIN = Sizing()
"""Of the many rows that state their replicas and nothing else."""

BEYOND = MOST_REPLICAS + 1
"""Stands for all counts beyond the bounds, which need not be worked out to be refused."""

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
    # Most rows state their replicas and nothing else; a large sheet need not be worked out row by row.
    if row.sizing == PLAIN and row.partitioned is None and not growth_percent:
        return dict.fromkeys(Level, LevelCount(row.replicas, row.replicas))
    factor = 1 + Fraction(growth_percent if own is None else own, 100)
    counts = {level: _bounded(row, _wanted(row, level, factor)) for level in Level}
    return {level: count if row.sizing.runs(level) else LevelCount(0, 0) for level, count in counts.items()}


def _wanted(row: Demand, level: Level, factor: Fraction) -> int:
    """Return what the level asks for before any bound."""
    sizing, grown = row.sizing, factor if level is Level.GROWN else Fraction(1)
    peak = level in (Level.PEAK, Level.GROWN)
    if sizing.basis is Basis.FIXED:
        # Exact fractions: 110 % of 10 replicas are 11 and never 12.
        return math.ceil(row.replicas * grown)
    if sizing.basis is Basis.RANGE:
        least, most = sizing.least or 0, sizing.most or row.replicas
        if level is Level.TROUGH:
            return least
        # Growth raises the most that an autoscaler may reach, not the fewest.
        return math.ceil(most * grown) if peak else min(max(row.replicas, least), most)
    load = {Level.TROUGH: sizing.trough, Level.USUAL: sizing.usual}.get(level, sizing.peak) * float(grown)
    if sizing.basis is Basis.QUEUE:
        service, wait = sizing.service_s or 1.0, sizing.wait_s or 0.0
        busy = load * service
        # Erlang's formula counts up to its result, so loads beyond the bound are not even tried.
        return fewest_servers(busy, wait / service, sizing.late_percent / 100) if busy < MOST_REPLICAS else BEYOND
    full = sizing.per_replica if sizing.basis is Basis.RATE else float(row.request.cpu_millicores)
    borne = (full or 1.0) * sizing.target_percent / 100
    # A hair of rounding must not cost a replica.
    wanted = load / borne - STEADY
    return math.ceil(wanted) if wanted < MOST_REPLICAS else BEYOND


def _bounded(row: Demand, wanted: int) -> LevelCount:
    """Return the count inside the autoscaler's bounds and the ceiling."""
    least, most = row.sizing.least or 0, row.sizing.most
    # The autoscaler's own bounds first, then what partitions can use.
    count = max(wanted, least) if most is None else min(max(wanted, least), most)
    if row.ceiling is not None:
        count = min(count, row.ceiling)
    return LevelCount(count, max(wanted, least))


def at_level(rows: Sequence[Demand], level: Level, growth_percent: int = 0) -> list[Demand]:
    """Return the rows with the replicas of a level."""
    return [replace(row, replicas=levels_of(row, growth_percent)[level].replicas) for row in rows]


def hour_shares(stated: Mapping[str, int]) -> dict[Level, Fraction]:
    """Return the share of a month's hours at each level; the grown peak is yet to come and has none."""
    # Without stated hours nothing is known, and a division by nothing must not be the way to learn it.
    whole = sum(stated.get(level, 0) for level in (Level.TROUGH, Level.USUAL, Level.PEAK)) or 1
    return {level: Fraction(0 if level is Level.GROWN else stated.get(level, 0), whole) for level in Level}


def sheet_faults(rows: Sequence[Demand], growth_percent: int = 0) -> list[Fault]:
    """Return all that keeps rows from standing together in a sheet: their own faults, and what is beyond what is computed.

    It is the one door through which rows enter a study, however they come: typed, imported, handed in or measured.
    """
    return [*demand_faults(rows), *_beyond(rows, growth_percent)]


def _beyond(rows: Sequence[Demand], growth_percent: int) -> Iterator[Fault]:
    """Yield the rows, and the sums over them, that are larger than what is computed exactly."""
    totals = dict.fromkeys(Level, 0)
    for number, row in enumerate(rows):
        path, name = f"demand[{number}]", row.full_name[:80]
        counts = levels_of(row, growth_percent)
        for level, count in counts.items():
            totals[level] += count.replicas
        if max(max(count.replicas, count.wanted) for count in counts.values()) > MOST_REPLICAS:
            reason = f"'{name}' asks for more than {MOST_REPLICAS} replicas at some level."
            yield Fault("demand.replicas", path, reason, "Check its replicas, its loads and its growth.")
        if row.request.cpu_millicores > MOST_CPU_MILLICORES:
            reason = f"'{name}' requests more than {MOST_CPU_MILLICORES // 1000} CPU a replica."
            yield Fault("demand.cpu", path, reason, "Check its unit.")
        amounts = [row.request.memory_bytes, *(volume.size_bytes for volume in row.pod.volumes)]
        amounts += [sent.size_bytes for sent in row.traffic]
        amounts += row.pod.resources.values()
        if max(amounts, default=0) > MOST_BYTES:
            reason = f"'{name}' requests more than 8 Pi of memory, of a volume, of traffic or of another resource."
            yield Fault("demand.memory", path, reason, "Check its unit.")
        if max(row.zone_skew or 0, row.most_per_node or 0, abs(row.priority)) > MOST_WHOLE:
            reason = f"'{name}' has a spread, a number on a node or a priority over {MOST_WHOLE}."
            yield Fault("demand.count", path, reason, "Write a smaller number, or leave it out.")
        if len(row.owner) > MOST_OWNER:
            reason = f"The owner of '{name}' has more than {MOST_OWNER} characters."
            yield Fault("demand.owner", path, reason, "Write the team's name in short.")
        if any(unprintable(text) for text in _texts(row)):
            reason = f"'{name}' has a text with control characters."
            yield Fault("demand.text", path, reason, "Write it in printable characters.")
    if max(totals.values()) > MOST_ALL_REPLICAS:
        reason = f"All workloads together ask for more than {MOST_ALL_REPLICAS} replicas at some level."
        yield Fault("demand.replicas", "", reason, "Split the study.")


def _texts(value: object) -> Iterator[str]:
    """Yield every text of a row, however deep."""
    if isinstance(value, str):
        yield value
    # Most values are numbers or nothing; a large sheet has a hundred thousand of them.
    elif value is None or isinstance(value, (int, float)):
        return
    elif isinstance(value, Mapping):
        for pair in value.items():
            yield from _texts(pair)
    elif isinstance(value, (tuple, list, frozenset, set)):
        for entry in value:
            yield from _texts(entry)
    else:
        kind: Any = type(value)
        for name in _fields_of(kind):
            yield from _texts(getattr(value, name))


@cache
def _fields_of(kind: Any) -> tuple[str, ...]:
    return tuple(entry.name for entry in fields(kind)) if is_dataclass(kind) else ()
