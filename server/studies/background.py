"""Reading a large text of demand in the background: telling what it would do, or taking its rows."""

from __future__ import annotations

from dataclasses import dataclass

from accounts.action import Missing, NotAllowed
from jobs.control import Control
from jobs.kinds import register, row_of
from jobs.models import Job
from jobs.texts import TextKind
from rombel.formats import DemandReading, Mapped
from studies.actions.take_demand import TakeDemand
from studies.importing import Source, preview, read_source
from studies.models import LargeText


@dataclass(frozen=True, slots=True)
class HandedText:
    """A text as it was handed in, with the row that holds it."""

    row: LargeText
    source: Source


@register
class DemandText(TextKind[HandedText, DemandReading]):
    """Somebody waits for it, so it goes before fits."""

    name = "text"
    priority = 8
    rows = LargeText
    stopped = "Stopped before the end; nothing was taken."
    refused = "The text was refused; nothing was changed."
    told_as_they_are = (Missing, NotAllowed)

    def given(self, job: Job) -> HandedText:
        """Return the text as it was handed in."""
        row = row_of(LargeText.objects.select_related("study"), job)
        content = row.text().decode("utf-8", "surrogatepass")
        return HandedText(row, Source(row.format, content, row.origin, Mapped(**row.mapped)))

    def compute(self, given: HandedText, control: Control) -> DemandReading:
        """Return the rows read."""
        return read_source(given.source, control.reading)

    def store(self, job: Job, given: HandedText, result: DemandReading) -> str:
        """Take the rows, or tell what they would do."""
        row = given.row
        if row.takes:
            taken = TakeDemand(row.asked_by, row.study, given.source, row.remove_gone, result).run()
            row.result = {"rows": taken}
        else:
            row.result = preview(result, given.source, row.study)
        row.content = None
        row.save(update_fields=["result", "content"])
        return ""
