"""Take imported demand into a study: all of it or nothing."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from measured.adapt import store_listing
from rombel.errors import InputRefused
from rombel.formats.demand_columns import merged
from rombel.model.demand import demand_faults
from studies.adapt import demand_of, fields_of
from studies.edits import Change, record, workload_fields
from studies.importing import Source, checked, gone_rows, read_source
from studies.models import Study


@dataclass
class TakeDemand(Action[int]):
    """Merge imported rows by name: known ones are changed, others added; what is gone is removed only when told.

    A cluster listed with its nodes becomes the study's running cluster, in the same edit.
    """

    study: Study
    source: Source
    remove_gone: bool = False
    name: ClassVar[str] = "demand.take"

    def execute(self) -> int:
        """Return how many rows were read; any fault refuses the whole text."""
        reading = checked(read_source(self.source))
        rows, running = reading.rows, reading.running
        known = {(row.namespace, row.name): row for row in self.study.workloads.all()}
        position = max((row.position for row in known.values()), default=0)
        changes = []
        values = {key: demand_of(row) for key, row in known.items()}
        for number, demand in enumerate(rows, 1):
            row = known.get((demand.namespace, demand.name))
            value = merged(demand, demand_of(row), reading.speaks) if row else demand
            values[demand.namespace, demand.name] = value
            before = workload_fields(row) if row else None
            after = fields_of(value, row.position if row else position + number)
            key = str(row.key) if row else str(uuid.uuid4())
            changes.append(Change(kind="workload", key=key, before=before, after=after))
        for row in gone_rows(rows, self.study) if self.remove_gone else []:
            values.pop((row.namespace, row.name))
            changes.append(Change(kind="workload", key=str(row.key), before=workload_fields(row), after=None))
        faults = demand_faults(list(values.values()))
        if faults:
            raise InputRefused(faults)
        if running is not None:
            listing = store_listing(running, self.source.origin, self.actor)
            before, after = {"running_id": self.study.running_id}, {"running_id": listing.pk}
            changes.append(Change(kind="study", key=str(self.study.pk), before=before, after=after))
        self.taken = len(rows)
        record(self.study, self.actor, f"demand: {self.taken} rows imported", changes)
        return self.taken

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the format, the origin and how many rows were taken."""
        return {"format": self.source.format_name, "origin": self.source.origin, "rows": self.taken}
