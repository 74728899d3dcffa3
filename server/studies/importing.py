"""What a text of demand holds, and what it would do to a study."""

from __future__ import annotations

import uuid
from dataclasses import asdict, dataclass, field, replace
from typing import Any

from rombel.errors import Fault, refuse
from rombel.formats import (
    CSV_COLUMNS,
    DemandReading,
    Headings,
    Mapped,
    cells_of,
    read_compose,
    read_demand_csv,
    read_headings,
    read_manifests,
)
from rombel.formats.demand_columns import REQUIRED, merged
from rombel.formats.reading import MOST_FAULTS, Watch, unwatched
from rombel.model.demand import Demand
from rombel.model.levels import sheet_faults
from rombel.model.quantity import show_cpu, show_memory
from studies.adapt import demand_of
from studies.models import Study, Workload

LARGE = 2**19
"""Characters that are read in about a second (manifests: 0.56 MiB a second were seen)."""


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


def is_large(source: Source) -> bool:
    """Return whether a text takes longer to read than somebody waits for an answer: a worker reads it then."""
    return len(source.text) > LARGE


def read_source(source: Source, watch: Watch = unwatched) -> DemandReading:
    """Return what a text of a known format holds, its rows naming where they come from."""
    if source.format_name == "csv":
        reading = read_demand_csv(source.text, source.mapped, watch)
    elif source.format_name == "compose":
        reading = read_compose(source.text, watch)
    elif source.format_name == "manifests":
        reading = read_manifests(source.text, watch)
    else:
        fix = "Use manifests, compose or csv."
        raise refuse("import.format", "format", f"'{source.format_name[:40]}' is not read.", fix)
    rows = tuple(replace(row, provenance=replace(row.provenance, origin=source.origin)) for row in reading.rows)
    return replace(reading, rows=rows)


@dataclass(frozen=True, slots=True)
class Difference:
    """What a text would do to one row: ``new``, ``changed``, ``same`` or ``gone``, and the cells it would change."""

    row: Demand
    change: str
    cells: tuple[tuple[str, str, str], ...] = ()


@dataclass(frozen=True, slots=True)
class Merged:
    """A study's sheet with a text taken into it.

    Parameters
    ----------
    stored, before, rows
        The stored rows, what they say, and what the sheet would say, each by key.
    gone
        The stored rows of the namespaces that the text speaks of and does not name.
    faults
        All that keeps the text from being taken.

    """

    stored: dict[str, Workload]
    before: dict[str, Demand]
    rows: dict[str, Demand]
    gone: list[Workload]
    faults: list[Fault]


def merge(reading: DemandReading, study: Study, *, remove_gone: bool = False) -> Merged:
    """Return the sheet with a text taken into it; known rows are changed, others added.

    What is shown before an import and what the import does both come from here, so that neither refuses what the other
    lets pass.
    """
    stored = {str(row.key): row for row in study.workloads.all()}
    before = {key: demand_of(row) for key, row in stored.items()}
    # Rows are known again by their full names: a text has no other, and keys are the study's own.
    keys = {value.full_name: key for key, value in before.items()}
    # A text speaks of its own namespaces alone: rows of others are not gone because it does not name them.
    spoken, named = {row.namespace for row in reading.rows}, {row.full_name for row in reading.rows}
    gone = [key for key, value in before.items() if value.namespace in spoken and value.full_name not in named]
    rows = dict(before)
    for key in gone if remove_gone else []:
        del rows[key]
    for demand in reading.rows:
        key = keys.get(demand.full_name, str(uuid.uuid4()))
        # Columns that the text has none of keep what the sheet says.
        rows[key] = merged(demand, rows[key], reading.speaks) if key in rows else demand
    # A name that stands twice in the text is one row once merged, so the text is looked at by itself first.
    faults = [*reading.faults, *sheet_faults(reading.rows)] or sheet_faults(list(rows.values()), study.growth_percent)
    return Merged(stored, before, rows, [stored[key] for key in gone], faults)


def _differences(reading: DemandReading, found: Merged) -> list[Difference]:
    """Return what a text would do, in its own order; then the rows that are gone."""
    before = {value.full_name: value for value in found.before.values()}
    told = [_difference(row, before.get(row.full_name), reading.speaks) for row in reading.rows]
    return told + [Difference(found.before[str(row.key)], "gone") for row in found.gone]


def _difference(row: Demand, before: Demand | None, speaks: frozenset[str]) -> Difference:
    if before is None:
        return Difference(row, "new")
    was, now = cells_of(before), cells_of(merged(row, before, speaks))
    cells = tuple((name, was[name], now[name]) for name in was if was[name] != now[name])
    return Difference(row, "changed" if cells else "same", cells)


def preview(found: DemandReading, source: Source, study: Study) -> dict[str, Any]:
    """Return what a text holds and what it would do to the sheet; nothing is stored."""
    sheet = merge(found, study)
    rows = [
        {
            "namespace": entry.row.namespace,
            "name": entry.row.name,
            "kind": str(entry.row.kind),
            "replicas": entry.row.replicas,
            "cpu": show_cpu(entry.row.request.cpu_millicores),
            "memory": show_memory(entry.row.request.memory_bytes),
            "change": entry.change,
            "cells": [{"column": name, "before": was, "after": now} for name, was, now in entry.cells],
        }
        for entry in _differences(found, sheet)
    ]
    return {
        "rows": rows,
        "faults": [asdict(entry) for entry in sheet.faults[:MOST_FAULTS]],
        "ignored": [{"line": e.line, "what": e.what, "why": e.why, "count": e.count} for e in found.ignored],
        "understood": [{"what": e.what, "count": e.count} for e in found.understood],
        "fields": [{"what": e.what, "count": e.count} for e in found.fields],
        "headings": _headings(read_headings(source.text)) if source.format_name == "csv" else None,
        "running_nodes": len(found.running.nodes) if found.running else None,
    }


def _headings(found: Headings) -> dict[str, Any]:
    return {
        "headings": list(found.headings),
        "sample": [list(row) for row in found.sample],
        "guess": dict(found.guess),
        "units": dict(found.units),
        "columns": list(CSV_COLUMNS),
        "required": list(REQUIRED),
    }
