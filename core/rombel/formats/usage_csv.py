"""Measurements as CSV, in one of two shapes.

Long: a line for each time and workload: ``time``, ``namespace`` and ``name`` (or ``workload`` as ``namespace/name``),
perhaps ``replica``, and ``cpu``, ``memory`` or ``rate``. Wide: a line for each time, ``time`` first, then a column for each
workload and resource, headed ``namespace/name cpu``. CPU is in cores (``cpu_millicores``: in millicores), memory in bytes
(``memory_mib``, ``memory_gib``), a rate in a second. An empty cell is a gap. Times are ISO 8601 or seconds since 1970.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime

import numpy as np

from rombel.errors import Fault
from rombel.formats.reading import Watch, unwatched
from rombel.formats.usage_text import (
    EVERY_LINES,
    LATEST_S,
    MOST_FAULTS,
    UsageReading,
    milliseconds_fault,
)
from rombel.model.measured import Measured

_RESOURCES = {
    "cpu": ("cpu", 1.0),
    "cpu_cores": ("cpu", 1.0),
    "cpu_millicores": ("cpu", 0.001),
    "memory": ("memory", 1.0),
    "memory_bytes": ("memory", 1.0),
    "memory_mib": ("memory", 2.0**20),
    "memory_gib": ("memory", 2.0**30),
    "rate": ("rate", 1.0),
}
_REPLICA = ("replica", "pod")


@dataclass(slots=True)
class _Line:
    """Samples of one series as they come in."""

    times: list[float] = field(default_factory=list)
    values: list[float] = field(default_factory=list)


def read_usage_csv(text: str, watch: Watch = unwatched) -> UsageReading:
    """Return the series of the text and every fault with line and column (the first fifty)."""
    reader = csv.reader(io.StringIO(text.removeprefix("\ufeff"), newline=""), strict=True)
    try:
        header = [name.strip() for name in next(reader, [])]
        if not header or header[0].lower() != "time":
            fix = "Begin with time,namespace,name,cpu,memory or with time and a column for each workload."
            return UsageReading((), (Fault("csv.column", "time", "The first column is not 'time'.", fix, 1, 1),))
        lowered = [name.lower() for name in header]
        # Cells may hold line breaks; for how far it is this is near enough.
        lines = text.count("\n") + 1
        reading = _Long(lowered) if {"name", "workload"} & set(lowered) else _Wide(header)
        reading.tell = lambda line: watch(min(1.0, line / lines))
        return reading.read(reader)
    except csv.Error as error:
        fix = "Double quotes inside quotes."
        return UsageReading((), (Fault("csv.text", "", f"This is not CSV: {error}.", fix, reader.line_num, 1),))


class _Table:
    """What both shapes share: times, numbers, faults."""

    def __init__(self) -> None:
        self.faults: list[Fault] = []
        self.tell: Callable[[int], None] = lambda line: None
        self._times: dict[str, float] = {}

    def time(self, text: str, line: int) -> float:
        """Return seconds since 1970; each text is read once."""
        known = self._times.get(text)
        if known is None:
            known = self._times[text] = self._read_time(text, line)
        return known

    def _read_time(self, text: str, line: int) -> float:
        try:
            # Whoever writes milliseconds would be thousands of years ahead, and is told so.
            seconds = float(text)
            if abs(seconds) >= LATEST_S:
                self.faults.append(milliseconds_fault(line, 1))
            return seconds
        except ValueError:
            pass
        try:
            moment = datetime.fromisoformat(text.strip())
        except ValueError:
            fix = "Write 2026-11-02T09:00:00Z, or seconds since 1970."
            self.faults.append(Fault("usage.time", "time", f"'{text[:40]}' is no time.", fix, line, 1))
            return float("nan")
        # A time without a zone is UTC, on whichever machine it is read.
        return (moment if moment.tzinfo else moment.replace(tzinfo=UTC)).timestamp()

    def number(self, text: str, line: int, column: int) -> float:
        """Return the number of a cell; an empty one is a gap."""
        try:
            return float(text) if text else float("nan")
        except ValueError:
            fix = "Write a number with a decimal point, or leave the cell empty where nothing was measured."
            self.faults.append(Fault("usage.number", "", f"'{text[:40]}' is no number.", fix, line, column + 1))
            return float("nan")


class _Long(_Table):
    """A line for each time and workload."""

    def __init__(self, header: Sequence[str]) -> None:
        super().__init__()
        self._header = header
        self._values = [(index, *_RESOURCES[name]) for index, name in enumerate(header) if name in _RESOURCES]
        self._replica = next((index for index, name in enumerate(header) if name in _REPLICA), None)

    def read(self, reader: Iterator[list[str]]) -> UsageReading:
        """Return the series."""
        if not self._values:
            fix = "Add a column cpu, cpu_millicores, memory, memory_mib, memory_gib or rate."
            return UsageReading((), (Fault("csv.column", "", "There is no column of measurements.", fix, 1, 1),))
        found: dict[tuple[str, str, str], _Line] = {}
        width = len(self._header)
        joined = self._header.index("workload") if "workload" in self._header else None
        own = self._header.index("name") if "name" in self._header else 0
        space = self._header.index("namespace") if "namespace" in self._header else None
        for line, cells in enumerate(reader, 2):
            # After so many nobody reads on, and a wrong file has one a line.
            if len(self.faults) >= MOST_FAULTS:
                break
            if line % EVERY_LINES == 0:
                self.tell(line)
            if len(cells) != width:
                if any(cells):
                    reason = f"The line has {len(cells)} fields, the header {width}."
                    self.faults.append(Fault("csv.width", "", reason, "Check commas and quotes.", line, 1))
                continue
            name = cells[joined] if joined is not None else f"{cells[space] if space else 'default'}/{cells[own]}"
            replica = cells[self._replica] if self._replica is not None else ""
            moment = self.time(cells[0], line)
            for index, resource, factor in self._values:
                samples = found.setdefault((name, replica, resource), _Line())
                samples.times.append(moment)
                samples.values.append(factor * self.number(cells[index], line, index))
        return _reading(found, self.faults)


class _Wide(_Table):
    """A line for each time, a column for each workload and resource."""

    def __init__(self, header: Sequence[str]) -> None:
        super().__init__()
        self._header = header

    def read(self, reader: Iterator[list[str]]) -> UsageReading:
        """Return the series."""
        heads = [self._head(name, index) for index, name in enumerate(self._header) if index]
        times: list[float] = []
        columns: list[list[float]] = [[] for _ in heads]
        for line, cells in enumerate(reader, 2):
            if len(self.faults) >= MOST_FAULTS:
                break
            if line % EVERY_LINES == 0:
                self.tell(line)
            if len(cells) != len(self._header):
                if any(cells):
                    reason = f"The line has {len(cells)} fields, the header {len(self._header)}."
                    self.faults.append(Fault("csv.width", "", reason, "Check commas and quotes.", line, 1))
                continue
            times.append(self.time(cells[0], line))
            for index, column in enumerate(columns, 1):
                column.append(self.number(cells[index], line, index))
        if self.faults:
            return UsageReading((), tuple(self.faults[:MOST_FAULTS]))
        found = {}
        for (name, resource, factor), column in zip(heads, columns, strict=True):
            found[name, "", resource] = _Line(times, [factor * value for value in column])
        return _reading(found, self.faults)

    def _head(self, name: str, index: int) -> tuple[str, str, float]:
        workload, _, resource = name.rpartition(" ")
        if not workload or resource.lower() not in _RESOURCES:
            fix = f"Head it 'namespace/name cpu', with one of {', '.join(_RESOURCES)}."
            reason = f"'{name[:80]}' names no workload and resource."
            self.faults.append(Fault("csv.column", name[:80], reason, fix, 1, index + 1))
            return name, "cpu", 1.0
        return (workload.strip(), *_RESOURCES[resource.lower()])


def _reading(found: dict[tuple[str, str, str], _Line], faults: list[Fault]) -> UsageReading:
    """Return the reading; series that hold gaps only are left out."""
    series = []
    for (name, replica, resource), line in found.items():
        namespace, _, own = name.rpartition("/")
        labels = {"namespace": namespace or "default", "workload": own, **({"pod": replica} if replica else {})}
        values = np.array(line.values, np.float64)
        if not np.isnan(values).all():
            series.append(Measured(resource, labels, False, np.array(line.times, np.float64), values))
    if not series and not faults:
        faults = [Fault("usage.empty", "", "There is no sample in the text.", "Add lines under the header.", 2, 1)]
    return UsageReading(() if faults else tuple(series), tuple(faults[:MOST_FAULTS]))
