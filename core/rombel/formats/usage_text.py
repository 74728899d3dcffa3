"""What a reader of measurements gives back: series under their labels, faults with places, and what was left out."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from rombel.errors import Fault
from rombel.formats.reading import Ignored
from rombel.model.measured import Measured

MOST_USAGE_BYTES = 200 * 2**20
"""Largest text of measurements that is read."""

MOST_FAULTS = 50
"""A reader stops after so many."""

Watch = Callable[[float], None]
"""Told now and then which share of a text was read; what it raises ends the reading."""

EVERY_LINES = 20_000
"""Lines between two tellings."""


def unwatched(share: float) -> None:
    """Do nothing with a share."""


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


def milliseconds_fault(line: int = 0, column: int = 0) -> Fault:
    """Return the fault of times that are milliseconds where seconds are asked."""
    mend = "Write seconds since 1970, or a date such as 2026-11-02T09:00:00Z."
    return Fault("usage.time", "time", "These times are milliseconds, or thousands of years ahead.", mend, line, column)
