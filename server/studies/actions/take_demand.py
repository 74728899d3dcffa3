"""Take imported demand into a study: all of it or nothing."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from rombel.errors import InputRefused, refuse
from rombel.formats import DemandReading, read_demand_csv, read_manifests
from rombel.model.demand import demand_faults
from studies.adapt import fields_of
from studies.edits import Change, record, workload_fields
from studies.models import Study


def read_demand(format_name: str, text: str) -> DemandReading:
    """Return what a text of the named format holds."""
    readers = {"manifests": read_manifests, "csv": read_demand_csv}
    if format_name not in readers:
        raise refuse("import.format", "format", f"'{format_name}' is not read.", "Use manifests or csv.")
    return readers[format_name](text)


@dataclass
class TakeDemand(Action[int]):
    """Merge imported rows by name: known ones are changed, others added; the rest of the sheet stays."""

    study: Study
    format_name: str
    text: str
    name: ClassVar[str] = "demand.take"

    def execute(self) -> int:
        """Return how many rows were read; any fault refuses the whole text."""
        reading = read_demand(self.format_name, self.text)
        faults = [*reading.faults, *demand_faults(reading.rows)]
        if faults:
            raise InputRefused(faults)
        known = {(row.namespace, row.name): row for row in self.study.workloads.all()}
        position = max((row.position for row in known.values()), default=0)
        changes = []
        for number, demand in enumerate(reading.rows, 1):
            row = known.get((demand.namespace, demand.name))
            before = workload_fields(row) if row else None
            after = fields_of(demand, row.position if row else position + number)
            key = str(row.key) if row else str(uuid.uuid4())
            changes.append(Change(kind="workload", key=key, before=before, after=after))
        record(self.study, self.actor, f"demand: {len(changes)} rows imported", changes)
        self.taken = len(changes)
        return self.taken

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the format and how many rows were taken."""
        return {"format": self.format_name, "rows": self.taken}
