"""What a text of demand holds, and what it would do to a study."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from rombel.errors import Fault, InputRefused, refuse
from rombel.formats import DemandReading, Mapped, cells_of, read_compose, read_demand_csv, read_manifests
from rombel.formats.demand_columns import merged
from rombel.model.demand import Demand
from rombel.model.levels import sheet_faults
from studies.adapt import demand_of
from studies.models import Study, Workload


@dataclass(frozen=True, slots=True)
class Source:
    """A text to import.

    Parameters
    ----------
    format_name
        ``manifests``, ``compose`` or ``csv``.
    text
        Its content.
    origin
        What it is called: a file's name, or that it was pasted.
    mapped
        How the columns of a CSV are read.

    """

    format_name: str
    text: str
    origin: str = ""
    mapped: Mapped = field(default_factory=Mapped)


def read_source(source: Source) -> DemandReading:
    """Return what a text of a known format holds, its rows naming where they come from."""
    if source.format_name == "csv":
        reading = read_demand_csv(source.text, source.mapped)
    elif source.format_name == "compose":
        reading = read_compose(source.text)
    elif source.format_name == "manifests":
        reading = read_manifests(source.text)
    else:
        mend = "Use manifests, compose or csv."
        raise refuse("import.format", "format", f"'{source.format_name[:40]}' is not read.", mend)
    rows = tuple(replace(row, provenance=replace(row.provenance, origin=source.origin)) for row in reading.rows)
    return replace(reading, rows=rows)


@dataclass(frozen=True, slots=True)
class Difference:
    """What a text would do to one row: ``new``, ``changed``, ``same`` or ``gone``, and the cells it would change."""

    row: Demand
    change: str
    cells: tuple[tuple[str, str, str], ...] = ()


def differences(reading: DemandReading, study: Study) -> list[Difference]:
    """Return what a text would do; gone are rows of the namespaces it speaks of that it does not name."""
    known = {(row.namespace, row.name): demand_of(row) for row in study.workloads.all()}
    found = [_difference(row, known.get((row.namespace, row.name)), reading.speaks) for row in reading.rows]
    return found + [Difference(demand_of(row), "gone") for row in gone_rows(reading.rows, study)]


def _difference(row: Demand, before: Demand | None, speaks: frozenset[str]) -> Difference:
    if before is None:
        return Difference(row, "new")
    was, now = cells_of(before), cells_of(merged(row, before, speaks))
    cells = tuple((name, was[name], now[name]) for name in was if was[name] != now[name])
    return Difference(row, "changed" if cells else "same", cells)


def gone_rows(rows: Sequence[Demand], study: Study) -> list[Workload]:
    """Return the stored rows that a text leaves out though it speaks of their namespaces."""
    spoken, named = {row.namespace for row in rows}, {(row.namespace, row.name) for row in rows}
    return [r for r in study.workloads.all() if r.namespace in spoken and (r.namespace, r.name) not in named]


def checked(reading: DemandReading) -> DemandReading:
    """Return a reading that may be taken.

    Raises
    ------
    InputRefused
        With every fault of the text.

    """
    faults: list[Fault] = [*reading.faults, *sheet_faults(reading.rows)]
    if faults:
        raise InputRefused(faults)
    return reading
