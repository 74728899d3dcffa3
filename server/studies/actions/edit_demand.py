"""Edit, add, copy and remove rows of the demand sheet."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any, ClassVar

from accounts.action import Missing
from rombel.errors import Fault, InputRefused
from rombel.formats import read_demand_cells
from rombel.model.demand import Demand
from rombel.model.levels import sheet_faults
from studies.actions.of_study import OfStudy, Recording
from studies.adapt import demand_of, fields_of
from studies.edits import Change, record, workload_fields
from studies.models import Workload


@dataclass
class EditDemand(Recording, OfStudy[None]):
    """Set cells of rows, add rows, copy rows under other names and remove rows, as one edit.

    ``cells`` maps a row's key to column and text as typed; a key not known yet is a new row. ``copies`` maps a row's key to
    the names of further instances of the same service; ``after`` maps a new row's key to the smaller key of the row it comes after.
    """

    cells: dict[str, dict[str, str]]
    removed: list[str] = field(default_factory=list)
    copies: dict[str, list[str]] = field(default_factory=dict)
    after: dict[str, str] = field(default_factory=dict)
    name: ClassVar[str] = "demand.edit"

    def execute(self) -> None:
        """Apply everything, or refuse it whole with every fault."""
        rows = {str(row.key): row for row in self.study.workloads.all()}
        missing = [key for key in [*self.removed, *self.copies] if key not in rows]
        if missing:
            raise Missing(f"There is no row {missing[0]}.")
        # Removed rows are left out before anything is checked, so that their names are free.
        values = {key: demand_of(row) for key, row in rows.items() if key not in self.removed}
        faults: list[Fault] = []
        for key, cells in self.cells.items():
            value, wrong = read_demand_cells(cells, values.get(key))
            faults += [Fault(f.code, f"{key}.{f.path}", f.reason, f.fix) for f in wrong]
            if value is not None:
                values[key] = value
        for key, names in self.copies.items():
            values.update(_instances(values.get(key) or demand_of(rows[key]), names))
        # Rows are checked together, as names and groups concern more than one.
        faults += _placed(sheet_faults(list(values.values()), self.study.growth_percent), list(values))
        if faults:
            raise InputRefused(faults)
        # A new row goes where the sheet showed it, below another one.
        places = {key: rows[before].position for key, before in self.after.items() if before in rows}
        self.recorded = record(self.study, self.actor, self._summary(), row_changes(rows, values, places))

    def _summary(self) -> str:
        words = [f"{len(self.cells)} rows edited"] if self.cells else []
        words += [f"{len(self.removed)} rows removed"] if self.removed else []
        words += [f"{sum(map(len, self.copies.values()))} instances added"] if self.copies else []
        return "demand: " + ", ".join(words)

    def detail(self) -> dict[str, Any]:
        """Return the cells set and the rows removed."""
        return {"cells": self.cells, "removed": self.removed, "copies": self.copies}


def _instances(row: Demand, names: list[str]) -> dict[str, Demand]:
    """Return further instances of a service, each under its own name, by new keys."""
    service = row.service or row.name
    return {str(uuid.uuid4()): replace(row, name=name.strip(), service=service) for name in names if name.strip()}


def _placed(faults: list[Fault], keys: list[str]) -> list[Fault]:
    """Return the faults with the key of their row in place of its number, so that a sheet can mark it."""
    placed = []
    for fault in faults:
        number = fault.path.removeprefix("demand[").removesuffix("]")
        column = fault.code.removeprefix("demand.")
        # Faults by row and column, as a sheet marks cells.
        path = f"{keys[int(number)]}.{column}" if number.isdigit() else fault.path
        placed.append(Fault(fault.code, path, fault.reason, fault.fix))
    return placed


def row_changes(
    rows: Mapping[str, Workload], values: Mapping[str, Demand], places: Mapping[str, int] | None = None
) -> list[Change]:
    """Return the changes from the stored rows to the values, by key; a row without a value is removed.

    New rows come last, or at a position that ``places`` gives them; of rows at one position the smaller key comes first.
    """
    position = max((row.position for row in rows.values()), default=0)
    changes = []
    for key, row in rows.items():
        if key not in values:
            changes.append(Change(kind="workload", key=key, before=workload_fields(row), after=None))
        elif demand_of(row) != values[key]:
            after = fields_of(values[key], row.position)
            changes.append(Change(kind="workload", key=key, before=workload_fields(row), after=after))
    for key, value in values.items():
        if key not in rows:
            position += 1
            place = (places or {}).get(key, position)
            changes.append(Change(kind="workload", key=key, before=None, after=fields_of(value, place)))
    return changes
