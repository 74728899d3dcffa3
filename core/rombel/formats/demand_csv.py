"""Demand as CSV (RFC 4180) or pasted from a spreadsheet, under our own headings or the file's.

Header row; comma, semicolon or tab; quotes doubled; CRLF or LF; a byte order mark is accepted. ``demand_columns`` says
what stands in each column. A file with other headings is read through a mapping.
"""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

from rombel.errors import Fault
from rombel.formats._cells import guarded, header_faults, unguarded
from rombel.formats.demand_columns import BY_NAME, COLUMNS, CSV_COLUMNS, REQUIRED, cells_of, row_of
from rombel.formats.reading import (
    EVERY_ROWS,
    MOST_FAULTS,
    MOST_ROWS,
    DemandReading,
    Ignored,
    Understood,
    Watch,
    size_fault,
    unwatched,
)
from rombel.model.demand import Demand


@dataclass(frozen=True, slots=True)
class Mapped:
    """How a file's columns are read.

    Parameters
    ----------
    columns
        Our column to the file's heading; what is not named is guessed from the headings.
    units
        Our column to what follows a plain number there: ``Mi``, ``Gi``, ``m``.
    fixed
        Our column to the text every row has, for columns that the file lacks.

    """

    columns: Mapping[str, str] = field(default_factory=dict)
    units: Mapping[str, str] = field(default_factory=dict)
    fixed: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Headings:
    """The headings of a file, the first rows under them, the columns they are taken for, and the units that they name."""

    headings: tuple[str, ...]
    sample: tuple[tuple[str, ...], ...]
    guess: Mapping[str, str]
    units: Mapping[str, str]


def read_headings(text: str) -> Headings:
    """Return what a file's first line names and a guess at what is what."""
    # Headings and three rows are looked at while somebody types; a whole file need not be.
    lines = csv.reader(io.StringIO(text[:200_000].removeprefix("\ufeff"), newline=""), delimiter=_delimiter(text))
    rows = [tuple(cell.strip() for cell in row) for row, _ in zip(lines, range(4), strict=False)]
    headings = rows[0] if rows else ()
    guess = _guess(headings)
    return Headings(headings, tuple(rows[1:]), guess, _units(guess))


def _delimiter(text: str) -> str:
    first = text.removeprefix("\ufeff").partition("\n")[0]
    # The heading line decides, as names rarely hold any of these; of equals the comma wins.
    return max(",;\t", key=first.count)


def _guess(headings: Sequence[str]) -> dict[str, str]:
    """Return our column to heading, each heading once: first by equal names, then by other words for the same."""
    found: dict[str, str] = {}
    plain = {heading: _IN_BRACKETS.sub("", heading).strip().lower().replace("_", " ") for heading in headings}
    # Our own words for every column first, so that a heading of ours is never taken by another column's synonym.
    for words in (lambda column: (column.name.replace("_", " "),), lambda column: column.also):
        for column in COLUMNS:
            for heading in headings:
                if column.name not in found and heading not in found.values() and plain[heading] in words(column):
                    found[column.name] = heading
    if "name" not in found and "service" in found:  # A list of services names its workloads so.
        found["name"] = found.pop("service")
    return found


_IN_BRACKETS = re.compile(r"\s*[\[(]([^\])]*)[\])]\s*$")
_UNITS = {
    "cpu": {"m": "m", "millicores": "m", "mcpu": "m", "mcores": "m"},
    "memory": {
        "mb": "M",
        "mib": "Mi",
        "mi": "Mi",
        "gb": "G",
        "gib": "Gi",
        "gi": "Gi",
        "kb": "k",
        "kib": "Ki",
        "ki": "Ki",
    },
}
"""Units in the brackets of a heading, and what then follows a plain number there."""


def _units(taken: Mapping[str, str]) -> dict[str, str]:
    """Return the units that headings name in brackets, by our column."""
    found = {}
    for name, known in _UNITS.items():
        unit = _IN_BRACKETS.search(taken.get(name, ""))
        if unit and unit[1].strip().lower() in known:
            found[name] = known[unit[1].strip().lower()]
    return found


def read_demand_csv(text: str, mapped: Mapped | None = None, watch: Watch = unwatched) -> DemandReading:
    """Return the rows of the text, every fault with line and column, and the columns ignored."""
    large = size_fault(len(text.encode("utf-8", "replace")))
    if large:
        return DemandReading((), (large,))
    # Kept by name: how far it was read is what the watch is told.
    source = io.StringIO(text.removeprefix("\ufeff"), newline="")
    reader = csv.reader(source, strict=True, delimiter=_delimiter(text))
    try:
        return _read(reader, mapped or Mapped(), lambda: watch(source.tell() / max(len(text), 1)))
    except csv.Error as error:
        fault = Fault("csv.text", "", f"This is not CSV: {error}.", "Double quotes inside quotes.", reader.line_num, 1)
        return DemandReading((), (fault,))


def _read(reader: Any, mapped: Mapped, watch: Callable[[], None]) -> DemandReading:
    headings = [heading.strip() for heading in next(reader, [])]
    taken = {**_guess(headings), **mapped.columns}
    # An empty heading says that a column is to be left alone, whatever was guessed.
    taken = {name: heading for name, heading in taken.items() if heading}
    ours = {heading: name for name, heading in taken.items()}
    # A column that is not taken gets a name of its own, so that two alike are no fault.
    header = [ours.get(heading, f"\0{index}") for index, heading in enumerate(headings)]
    faults = header_faults([*header, *mapped.fixed] if any(headings) else [], REQUIRED)
    faults += [
        Fault("csv.mapping", name, f"There is no heading '{heading}'.", "Choose a heading of the file.", 1, 1)
        for name, heading in mapped.columns.items()
        if heading and (heading not in headings or name not in BY_NAME)
    ]
    if faults:
        return DemandReading((), tuple(faults))
    why = "No column of the sheet is taken from it."
    left = [heading for heading, name in zip(headings, header, strict=True) if name.startswith("\0")]
    ignored = tuple(Ignored(1, f"column '{heading}'", why) for heading in left)
    rows, wrong = _rows(reader, header, replace(mapped, units={**_units(taken), **mapped.units}), watch)
    understood = tuple(Understood(f"column {name} from '{heading}'", len(rows)) for name, heading in taken.items())
    speaks = frozenset(name for name in [*taken, *mapped.fixed] if name in BY_NAME)
    return DemandReading(tuple(rows), tuple(wrong), ignored, understood, speaks=speaks)


def _rows(
    reader: Any, header: list[str], mapped: Mapped, watch: Callable[[], None]
) -> tuple[list[Demand], list[Fault]]:
    rows: list[Demand] = []
    faults: list[Fault] = []
    seen: dict[str, int] = {}
    for cells in reader:
        line = reader.line_num
        if line % EVERY_ROWS == 0:
            watch()
        # Spreadsheets leave lines of commas where rows were deleted.
        if not any(cell.strip() for cell in cells):
            continue
        if len(cells) != len(header):
            reason = f"The line has {len(cells)} fields, the header {len(header)}."
            faults.append(Fault("csv.width", "", reason, "Check commas and quotes.", line, 1))
            if len(faults) >= MOST_FAULTS:
                break
            continue
        if len(rows) >= MOST_ROWS:
            reason = f"There are more than {MOST_ROWS} rows."
            faults.append(Fault("file.large", "", reason, "Read them in parts.", line, 1))
            break
        # What the file says wins over what was fixed for all rows.
        typed = {**mapped.fixed, **dict(zip(header, map(unguarded, cells), strict=True))}
        row, wrong = row_of(_with_units(typed, mapped.units), header, line, typed)
        faults.extend(wrong)
        if len(faults) >= MOST_FAULTS:
            break
        if row is None:
            continue
        if row.full_name in seen:
            reason = f"'{row.full_name}' stands on line {seen[row.full_name]} too."
            faults.append(Fault("demand.twice", "name", reason, "Rename or remove one of them.", line, 1))
        seen.setdefault(row.full_name, line)
        rows.append(row)
    return rows, faults


def _with_units(cells: Mapping[str, str], units: Mapping[str, str]) -> dict[str, str]:
    """Return the cells with a unit after every plain number of the columns that were given one."""
    result = dict(cells)
    for name, unit in units.items():
        text = result.get(name, "").strip()
        # A cell that states its own unit keeps it.
        if text and text[-1].isdigit():
            result[name] = text + unit
    return result


def write_demand_csv(rows: Sequence[Demand]) -> str:
    """Return the rows as CSV; ``read_demand_csv`` gives the same rows back, their containers and origins aside.

    A cell that begins as a formula does (``= + - @``, a tab) is written with an apostrophe in front, and read back without.
    """
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(CSV_COLUMNS)
    for row in rows:
        cells = cells_of(row)
        writer.writerow([guarded(cells[name]) for name in CSV_COLUMNS])
    return out.getvalue()
