"""What a reader of measurements gives back: series under their labels, faults with places, and what was left out."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np

from rombel.errors import Fault
from rombel.formats.reading import Ignored
from rombel.model.bounds import LARGEST_SAMPLE
from rombel.model.measured import Measured

MOST_USAGE_BYTES = 200 * 2**20
"""Largest text of measurements that is read."""

MOST_FAULTS = 50
"""A reader stops after so many."""

EVERY_LINES = 20_000
"""Lines between two tellings."""


LATEST_SERIES_S = 4_102_444_800.0
"""The year 2100: measurements after it are mistakes."""

LATEST_S = 1e11
"""No time in seconds is later (the year 5138): larger numbers are milliseconds."""


@dataclass(frozen=True, slots=True, eq=False)
class UsageReading:
    """The outcome of reading measurements; with any fault nothing is to be stored."""

    series: tuple[Measured, ...]
    faults: tuple[Fault, ...]
    ignored: tuple[Ignored, ...] = ()

    @property
    def samples(self) -> int:
        """Return how many samples were read."""
        return sum(len(entry.values) for entry in self.series)


def usage_size_fault(size_bytes: int) -> Fault | None:
    """Return the fault of a text that is too large, or None."""
    if size_bytes <= MOST_USAGE_BYTES:
        return None
    reason = f"The text has {size_bytes / 2**20:.0f} MiB; at most {MOST_USAGE_BYTES // 2**20} MiB are read."
    return Fault("file.large", "", reason, "Ask for a longer step, or fewer weeks at a time.")


EARLIEST_S = 946_684_800.0
"""The year 2000: measurements before it are mistakes."""


def value_faults(series: Sequence[Measured]) -> Iterator[Fault]:
    """Yield the series whose values or times cannot be measurements: below nothing, without end, of another century."""
    for entry in series:
        values, times = np.asarray(entry.values), np.asarray(entry.times_s)
        present = values[~np.isnan(values)]
        name = ", ".join(f"{key}={value}" for key, value in list(entry.labels.items())[:4])[:120]
        if len(present) and not (present.min() >= 0 and present.max() <= LARGEST_SAMPLE):
            fix = "Leave such samples out: a gap is a gap."
            yield Fault("usage.value", "value", f"{name or 'A series'} has values below 0, infinite or over 1e15.", fix)
        if len(times) and not (times.min() >= EARLIEST_S and times.max() <= LATEST_SERIES_S):
            fix = "Write seconds since 1970, or a date such as 2026-11-02T09:00:00Z."
            yield Fault("usage.time", "time", f"{name or 'A series'} has times before 2000 or after 2100.", fix)


def milliseconds_fault(line: int = 0, column: int = 0) -> Fault:
    """Return the fault of times that are milliseconds where seconds are asked."""
    fix = "Write seconds since 1970, or a date such as 2026-11-02T09:00:00Z."
    return Fault("usage.time", "time", "These times are milliseconds, or thousands of years ahead.", fix, line, column)
