"""Take imported demand into a study: all of it or nothing."""

from __future__ import annotations

import uuid
from dataclasses import dataclass
from typing import Any, ClassVar

from measured.adapt import store_listing
from rombel.errors import InputRefused
from rombel.formats.demand_columns import merged
from rombel.model.levels import sheet_faults
from studies.actions.edit_demand import row_changes
from studies.actions.of_study import OfStudy, Recording
from studies.adapt import demand_of
from studies.edits import Change, record
from studies.importing import Source, checked, gone_rows, read_source


@dataclass
class TakeDemand(Recording, OfStudy[int]):
    """Merge imported rows by name: known ones are changed, others added; what is gone is removed only when told.

    A cluster listed with its nodes becomes the study's running cluster, in the same edit.
    """

    source: Source
    remove_gone: bool = False
    name: ClassVar[str] = "demand.take"

    def execute(self) -> int:
        """Return how many rows were read; any fault refuses the whole text."""
        reading = checked(read_source(self.source))
        rows, running = reading.rows, reading.running
        stored = {str(row.key): row for row in self.study.workloads.all()}
        values = {key: demand_of(row) for key, row in stored.items()}
        keys = {value.full_name: key for key, value in values.items()}
        for demand in rows:
            key = keys.get(demand.full_name, str(uuid.uuid4()))
            values[key] = merged(demand, values[key], reading.speaks) if key in values else demand
        for row in gone_rows(rows, self.study) if self.remove_gone else []:
            del values[str(row.key)]
        faults = sheet_faults(list(values.values()), self.study.growth_percent)
        if faults:
            raise InputRefused(faults)
        changes = row_changes(stored, values)
        if running is not None:
            listing = store_listing(running, self.source.origin, self.actor)
            before, after = {"running_id": self.study.running_id}, {"running_id": listing.pk}
            changes.append(Change(kind="study", key=str(self.study.pk), before=before, after=after))
        self.taken = len(rows)
        self.recorded = record(self.study, self.actor, f"demand: {self.taken} rows imported", changes)
        return self.taken

    def detail(self) -> dict[str, Any]:
        """Return the format, the origin and how many rows were taken."""
        return {"format": self.source.format_name, "origin": self.source.origin, "rows": self.taken}
