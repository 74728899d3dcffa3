"""Edit, add and remove rows of the demand sheet."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, ClassVar

from accounts.action import Action, Missing
from rombel.errors import Fault, InputRefused
from rombel.formats import read_demand_cells
from rombel.model.demand import demand_faults
from studies.adapt import demand_of, fields_of
from studies.edits import Change, record, workload_fields
from studies.models import Study


@dataclass
class EditDemand(Action[None]):
    """Set cells of rows, add rows and remove rows, as one edit.

    ``cells`` maps a row's key to column and text as typed; a key not known yet is a new row.
    """

    study: Study
    cells: dict[str, dict[str, str]]
    removed: list[str] = field(default_factory=list)
    name: ClassVar[str] = "demand.edit"

    def execute(self) -> None:
        """Apply everything, or refuse it whole with every fault."""
        rows = {str(row.key): row for row in self.study.workloads.all()}
        missing = [key for key in self.removed if key not in rows]
        if missing:
            raise Missing(f"There is no row {missing[0]}.")
        after = {key: workload_fields(row) for key, row in rows.items() if key not in self.removed}
        values = {key: demand_of(row) for key, row in rows.items() if key not in self.removed}
        faults: list[Fault] = []
        position = max((row.position for row in rows.values()), default=0)
        for key, cells in self.cells.items():
            value, wrong = read_demand_cells(cells, values.get(key))
            faults += [Fault(f.code, f"{key}.{f.path}", f.reason, f.mend) for f in wrong]
            if value is not None:
                position += key not in rows
                values[key] = value
                after[key] = fields_of(value, rows[key].position if key in rows else position)
        faults += demand_faults(list(values.values()))
        if faults:
            raise InputRefused(faults)
        record(self.study, self.actor, self._summary(), self._changes(rows, after))

    def _changes(self, rows: dict[str, Any], after: dict[str, dict[str, Any]]) -> list[Change]:
        before = {key: workload_fields(row) for key, row in rows.items()}
        touched = [*self.removed, *self.cells]
        return [Change(kind="workload", key=key, before=before.get(key), after=after.get(key)) for key in touched]

    def _summary(self) -> str:
        words = [f"{len(self.cells)} rows edited"] if self.cells else []
        words += [f"{len(self.removed)} rows removed"] if self.removed else []
        return "demand: " + ", ".join(words)

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the cells set and the rows removed."""
        return {"cells": self.cells, "removed": self.removed}
