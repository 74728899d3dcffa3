"""Reading measurements in the background: a text becomes series on one grid of time."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from itertools import islice

from jobs.control import Control
from jobs.kinds import register, row_of
from jobs.models import Job
from jobs.texts import TextKind
from measured.adapt import store_usage
from measured.models import UsageSet
from rombel.errors import Fault, InputRefused, refuse
from rombel.formats import UsageReading, read_openmetrics, read_range_query, read_usage_csv
from rombel.formats.reading import MOST_FAULTS, Watch
from rombel.formats.usage_text import value_faults
from rombel.usage import Assembled, assemble

READERS: Mapping[str, Callable[[str, Watch], UsageReading]] = {
    "csv": read_usage_csv,
    "range-query": read_range_query,
    "openmetrics": read_openmetrics,
}


@dataclass(frozen=True, slots=True)
class MeasuredText:
    """A text of measurements with the row that holds it."""

    row: UsageSet
    content: bytes


@dataclass(frozen=True, slots=True)
class MeasuredUse:
    """Use by workload on one grid of time, and how many samples it comes from."""

    assembled: Assembled
    samples: int


@register
class UsageText(TextKind[MeasuredText, MeasuredUse]):
    """The series of a text that belong to a study's workloads."""

    name = "usage"
    priority = 4
    rows = UsageSet
    stopped = "Stopped before the end; nothing was kept."
    refused = "The measurements were refused; nothing was changed."

    def given(self, job: Job) -> MeasuredText:
        """Return the text as it was handed in."""
        row = row_of(UsageSet.objects.all(), job)
        return MeasuredText(row, row.text())

    def compute(self, given: MeasuredText, control: Control) -> MeasuredUse:
        """Return the use of the study's workloads; a text that measures none of them is refused."""
        # Reading is the longest part, and tells its own progress.
        reading = READERS[given.row.format](_text(given.content), control.reading)
        if faults := [*reading.faults, *islice(value_faults(reading.series), MOST_FAULTS)]:
            raise InputRefused(faults)
        control.tell("laying on one grid", 0.95)
        # Use is assembled by the names and replicas of the study as it was when the text was handed in.
        found = assemble(reading.series, given.row.replicas)
        if not found.usage:
            whys = "; ".join(list(found.left_out)[:5])
            fix = "Name namespace and workload (or pod) in labels or columns as the study does."
            raise refuse("usage.unmatched", "", f"No series belongs to a workload of the study: {whys}.", fix)
        return MeasuredUse(found, reading.samples)

    def store(self, job: Job, given: MeasuredText, result: MeasuredUse) -> str:
        """Store the series."""
        store_usage(given.row, result.assembled, result.samples)
        return ""


def _text(content: bytes) -> str:
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        # The line where the text stops being text.
        line = content.count(b"\n", 0, error.start) + 1
        fault = Fault("file.text", "", "The file is not UTF-8 text.", "Save it as UTF-8.", line, 1)
        raise InputRefused([fault]) from error
