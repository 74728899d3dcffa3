"""The use of a workload from the series of its replicas: all together, and the busiest one at each moment."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from rombel.usage.series import Series, Values, rates, regular, resets, usual_step


@dataclass(frozen=True, slots=True, eq=False)
class Raw:
    """Samples of one thing as they were read.

    Parameters
    ----------
    times_s, values
        (N,) seconds since 1970 and what was measured; a counter's running totals where ``counter``.
    replica
        Which replica; empty: all replicas of the workload together.

    """

    times_s: Values
    values: Values
    counter: bool = False
    replica: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class WorkloadUsage:
    """What a workload used of one resource.

    Parameters
    ----------
    total
        All replicas together.
    busiest
        The replica that used most at each step. Where only totals were measured: their even share, which hides a replica
        that is busier than the others; ``from_totals`` says so.
    replicas
        Mean number of replicas measured at a time.
    resets
        How often a counter started again.

    """

    total: Series
    busiest: Series
    replicas: float
    resets: int
    from_totals: bool


def gather(raw: Sequence[Raw], stated_replicas: int, grid: tuple[int, int, int] | None = None) -> WorkloadUsage:
    """Return the use of one workload from the samples of its replicas, or of all together.

    Parameters
    ----------
    raw
        At least one. Where some tell their replica and some do not, those that tell count.
    stated_replicas
        By which totals are shared, at least 1.
    grid
        First second, step and number of steps, so that several workloads stand on one; None: from the samples.

    """
    # Series of single replicas tell more than a total, and are used alone where they exist.
    telling = [entry for entry in raw if entry.replica]
    used = telling or list(raw)
    measured = [_rate(entry) for entry in used]
    start, step, count = grid or common_grid([entry.times_s for entry in used])
    lines: dict[str, list[tuple[Values, Values]]] = {}
    for entry, samples in zip(used, measured, strict=True):
        lines.setdefault(entry.replica, []).append(samples)
    table = np.stack([_line(samples, start, step, count) for samples in lines.values()])
    present = ~np.isnan(table)
    any_present = present.any(axis=0)
    # A replica that was seen before and is seen again ran meanwhile: without its sample nobody knows the sum.
    alive = np.maximum.accumulate(present, axis=1) & np.maximum.accumulate(present[:, ::-1], axis=1)[:, ::-1]
    known = any_present & ~(alive & ~present).any(axis=0)
    total = np.where(known, np.nansum(table, axis=0), np.nan)
    filled = np.where(present, table, -np.inf).max(axis=0)
    busiest = np.where(any_present, filled, np.nan)
    fallen = sum(resets(entry.values[np.isfinite(entry.values)]) for entry in used if entry.counter)
    mean = float(present.sum(axis=0)[any_present].mean()) if any_present.any() else 0.0
    # Only totals are known: the busiest replica is at least the mean one.
    if not telling:
        busiest, mean = total / max(stated_replicas, 1), float(stated_replicas)
    return WorkloadUsage(Series(start, step, total), Series(start, step, busiest), mean, fallen, not telling)


def _rate(entry: Raw) -> tuple[Values, Values]:
    """Return finite samples: a counter's as rises a second."""
    order = np.argsort(entry.times_s, kind="stable")
    times, values = entry.times_s[order], entry.values[order]
    keep = np.isfinite(values)
    times, values = times[keep], values[keep]
    return rates(times, values) if entry.counter else (times, values)


def common_grid(times: Sequence[Values]) -> tuple[int, int, int]:
    """Return first second, step and number of steps that hold all samples; the longest usual step counts.

    A shorter one would leave gaps in whatever was measured more rarely.
    """
    # The longest step: on a finer grid every slow series would be full of gaps.
    steps = [usual_step(entry) for entry in times if len(entry) > 1]
    step = max(steps, default=60)
    first = min((float(entry.min()) for entry in times if len(entry)), default=0.0)
    last = max((float(entry.max()) for entry in times if len(entry)), default=0.0)
    start = int(first // step * step)
    return start, step, int((last - start) // step + 1)


def _line(samples: Sequence[tuple[Values, Values]], start: int, step: int, count: int) -> Values:
    """Return (count,) the samples of one replica on the grid."""
    times = np.concatenate([entry for entry, _ in samples])
    values = np.concatenate([entry for _, entry in samples])
    return regular(times, values, step, (start, count)).values
