"""Take imported demand into a study: all of it or nothing."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from measured.adapt import store_listing
from rombel.errors import InputRefused
from rombel.formats import DemandReading
from studies.actions.edit_demand import row_changes
from studies.actions.of_study import OfStudy, Recording
from studies.edits import Change, record
from studies.importing import Source, merge, read_source


@dataclass
class TakeDemand(Recording, OfStudy[int]):
    """Merge imported rows by name: known ones are changed, others added; what is gone is removed only when told.

    A cluster listed with its nodes becomes the study's running cluster, in the same edit. ``read`` is what was read of the
    source already, before the study was held: a large text would hold it for long.
    """

    source: Source
    remove_gone: bool = False
    read: DemandReading | None = None
    name: ClassVar[str] = "demand.take"

    def execute(self) -> int:
        """Return how many rows were read; any fault refuses the whole text."""
        reading = self.read or read_source(self.source)
        found, running = merge(reading, self.study, remove_gone=self.remove_gone), reading.running
        if found.faults:
            raise InputRefused(found.faults)
        changes = row_changes(found.stored, found.rows)
        if running is not None:
            # A listing is stored even if no row changes: what runs is news by itself.
            listing = store_listing(running, self.source.origin, self.actor)
            before, after = {"running_id": self.study.running_id}, {"running_id": listing.pk}
            changes.append(Change(kind="study", key=str(self.study.pk), before=before, after=after))
        self.taken = len(reading.rows)
        self.recorded = record(self.study, self.actor, f"demand: {self.taken} rows imported", changes)
        return self.taken

    def detail(self) -> dict[str, Any]:
        """Return the format, the origin and how many rows were taken."""
        return {"format": self.source.format_name, "origin": self.source.origin, "rows": self.taken}
