"""Demand through time from a few words: ``day, week, burst x3 at Fri 09:00 for 2 h on bookings/*``.

Clauses stand after each other with commas. One says what it begins with: *measured* (the study's series), *steady* (usual demand) or *day* (from trough to
peak in two swells). The others change that: *week* (weekends lower), *ramp*, *growth*, *burst*, *x1.2*, *events* (the study's planned ones).
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from fnmatch import fnmatchcase

import numpy as np

from rombel.errors import Fault, InputRefused
from rombel.usage.events import PlannedEvent, factor_on
from rombel.usage.series import Series, Values

DAY_S = 86_400
HOUR_S = 3600
BASES = ("measured", "steady", "day")
WEEKDAYS = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")
UNITS = {"s": 1, "min": 60, "h": HOUR_S, "d": DAY_S, "w": 7 * DAY_S}
SWELLS = ((8.0, 2.2, 0.8), (17.5, 2.8, 1.0))
"""Hour, width in hours and height of the day's swells, as offices and travel have them (common practice, no source)."""

Times = Values
Factor = Callable[[Times], Values]


@dataclass(frozen=True, slots=True)
class Need:
    """Replicas of a workload at trough, usual demand and peak."""

    trough: float
    usual: float
    peak: float


@dataclass(frozen=True, slots=True)
class Clause:
    """A clause that changes demand: a factor through time, for workloads of a pattern."""

    factor: Factor
    pattern: str = "*"


@dataclass(frozen=True, slots=True)
class Shape:
    """Demand through time: what it begins with, and what changes it."""

    base: str
    clauses: tuple[Clause, ...]
    with_events: bool = False

    def replicas(
        self,
        workload: str,
        need: Need,
        grid: tuple[int, int, int],
        measured: Series | None = None,
        events: Sequence[PlannedEvent] = (),
    ) -> Values:
        """Return (T,) how many replicas a workload needs through time; NaN where it was not measured.

        Parameters
        ----------
        workload
            ``namespace/name``, which patterns are compared with.
        need
            Its replicas by level.
        grid
            First second (since 1970, UTC), seconds of a step, and steps.
        measured
            Replicas it needed when it was measured, whole weeks laid on by weekday and time one after the other. None: *day* stands for it.
        events
            The study's planned events.

        """
        start, step, steps = grid
        times = start + step * np.arange(steps, dtype=np.float64)
        if self.base == "measured" and measured is not None and len(measured.values):
            # By weekday and time of day, as what was measured lies before what is rehearsed.
            values = repeated(measured, times)
        elif self.base == "steady":
            values = np.full(steps, need.usual)
        else:
            values = need.trough + (need.peak - need.trough) * swell(times)
        for clause in self.clauses:
            if fnmatchcase(workload, clause.pattern):
                values = values * clause.factor(times - start)
        if self.with_events:
            values = values * np.array([factor_on(events, datetime.fromtimestamp(t, UTC).date()) for t in times])
        return values


def swell(times: Times) -> Values:
    """Return the day's shape at times of day, 0 at its lowest and 1 at its highest."""
    # Scaled by its own extremes, which have no closed form: three minutes apart they are near enough.
    hours = np.arange(0, 24, 0.05)
    low, high = _waves(hours).min(), _waves(hours).max()
    shape: Values = (_waves(times / HOUR_S % 24) - low) / (high - low)
    return np.clip(shape, 0.0, 1.0)


def _waves(hours: Values) -> Values:
    total = np.zeros(len(hours))
    for at, width, height in SWELLS:
        # Round the clock: midnight is near eleven at night.
        apart = np.abs((hours - at + 12) % 24 - 12)
        total += height * np.exp(-((apart / width) ** 2))
    return total


def repeated(series: Series, times: Times) -> Values:
    """Return what was measured at the same weekday and time: of its last whole weeks, or days where it has no week; gaps stay gaps."""
    length = len(series.values) * series.step_s
    # A week where there is one, as weekends differ; else the day.
    span = 7 * DAY_S if length >= 7 * DAY_S else DAY_S
    if length < span:
        return np.full(len(times), np.nan)
    whole = length // span * span
    first = series.start_s + length - whole
    # The same weekday: whole weeks back from the time that is asked for.
    places = ((times - first) % whole // series.step_s).astype(np.int64) + (first - series.start_s) // series.step_s
    return series.values[np.minimum(places, len(series.values) - 1)]


def read_shape(text: str, start_s: int) -> Shape:
    """Return the shape that words tell.

    Parameters
    ----------
    text
        Clauses with commas between them.
    start_s
        When it begins, seconds since 1970, UTC: weekdays are found from it.

    Raises
    ------
    InputRefused
        With every clause that is not understood, and its column.

    """
    base, clauses, events, faults = "", list[Clause](), False, list[Fault]()
    for column, words in _clauses(text):
        lowered = words.lower()
        if lowered in BASES:
            if base:
                faults.append(_fault(column, f"It begins with '{base}' already.", "Leave one of them out."))
            base = lowered
        elif lowered == "events":
            events = True
        else:
            found = next(
                (made for pattern, make in _FORMS if (m := pattern.fullmatch(words)) and (made := make(m, start_s))),
                None,
            )
            if found is None:
                fix = (
                    "Write measured, steady or day; then week, ramp to 150% over 5 d, growth 10% a week, burst x3 at Fri 09:00 for 2 h, "
                    "x1.2 on bookings/*, or events."
                )
                faults.append(_fault(column, f"'{words}' is not understood.", fix))
            else:
                clauses.append(found)
    if faults:
        raise InputRefused(faults)
    return Shape(base or "day", tuple(clauses), events)


def _fault(column: int, reason: str, fix: str) -> Fault:
    return Fault("shape.words", "words", reason, fix, 1, column)


def _clauses(text: str) -> Iterable[tuple[int, str]]:
    """Yield every clause with the column where it begins."""
    place = 0
    for part in text.split(","):
        if part.strip():
            yield place + len(part) - len(part.lstrip()) + 1, " ".join(part.split())
        place += len(part) + 1


_NUMBER = r"(\d+(?:\.\d+)?)"
_SPAN = rf"{_NUMBER} ?(s|min|h|d|w)"
_ON = r"(?: on (\S+))?"
_WHEN = r"(?:(mon|tue|wed|thu|fri|sat|sun)[a-z]*|day (\d+)) (\d{1,2}):(\d{2})"


def _percent(text: str) -> float:
    return float(text) / 100


def _seconds(number: str, unit: str) -> float:
    return float(number) * UNITS[unit.lower()]


def _week(found: re.Match[str], start_s: int) -> Clause:
    low = _percent(found[1] or "60")

    def factor(times: Times) -> Values:
        # 1 January 1970 was a Thursday.
        weekday = ((times + start_s) // DAY_S + 3) % 7
        return np.where(weekday >= 5, low, 1.0)

    return Clause(factor, found[2] or "*")


def _ramp(found: re.Match[str], start_s: int) -> Clause:
    top, over = _percent(found[1]), _seconds(found[2], found[3])
    return Clause(lambda times: 1 + (top - 1) * np.minimum(times / over, 1.0), found[4] or "*")


def _growth(found: re.Match[str], start_s: int) -> Clause:
    span = 7 * DAY_S if found[2].lower() == "week" else 30 * DAY_S
    # Compound: the same share again after the same time.
    return Clause(lambda times: (1 + _percent(found[1])) ** (times / span), found[3] or "*")


def _burst(found: re.Match[str], start_s: int) -> Clause | None:
    factor, lasts = float(found[1]), _seconds(found[6], found[7])
    begins = _when(found, start_s)
    if begins is None:
        return None
    return Clause(lambda times: np.where((times >= begins) & (times < begins + lasts), factor, 1.0), found[8] or "*")


def _when(found: re.Match[str], start_s: int) -> float | None:
    """Return seconds from the start; a weekday is the first of its name."""
    hours, minutes = int(found[4]), int(found[5])
    if hours > 23 or minutes > 59:
        return None
    midnight = start_s // DAY_S * DAY_S - start_s
    day = int(found[3]) - 1 if found[3] else (WEEKDAYS.index(found[2].lower()[:3]) - (start_s // DAY_S + 3)) % 7
    begins = midnight + day * DAY_S + hours * HOUR_S + minutes * 60
    return float(begins if begins >= 0 else begins + 7 * DAY_S)


def _scale(found: re.Match[str], start_s: int) -> Clause:
    factor = float(found[1])
    return Clause(lambda times: np.full(len(times), factor), found[2] or "*")


_FORMS: tuple[tuple[re.Pattern[str], Callable[[re.Match[str], int], Clause | None]], ...] = tuple(
    (re.compile(pattern, re.IGNORECASE), make)
    for pattern, make in (
        (rf"week(?: to {_NUMBER}%)?{_ON}", _week),
        (rf"ramp to {_NUMBER}% over {_SPAN}{_ON}", _ramp),
        (rf"growth {_NUMBER}% a (week|month){_ON}", _growth),
        (rf"burst x{_NUMBER} at {_WHEN} for {_SPAN}{_ON}", _burst),
        (rf"x{_NUMBER}{_ON}", _scale),
    )
)
"""How a clause is written, and what it makes."""


def patterns_without_workload(shape: Shape, workloads: Mapping[str, object] | Iterable[str]) -> list[str]:
    """Return the patterns that no workload meets."""
    names = list(workloads)
    return [c.pattern for c in shape.clauses if not any(fnmatchcase(name, c.pattern) for name in names)]
