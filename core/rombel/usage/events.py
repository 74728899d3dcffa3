"""Planned events: a window in which demand is a factor of what it would be."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import date


@dataclass(frozen=True, slots=True)
class PlannedEvent:
    """Something known to come, such as a timetable that opens.

    Parameters
    ----------
    name
        For people.
    first, last
        First and last day, both in.
    factor
        Of what demand would be; above 0.

    """

    name: str
    first: date
    last: date
    factor: float


def factor_on(events: Sequence[PlannedEvent], day: date) -> float:
    """Return the factor of a day: those of its events multiplied."""
    factor = 1.0
    for event in events:
        if event.first <= day <= event.last:
            factor *= event.factor
    return factor
