"""What the worker does for measurements: read a text, lay its series on one grid, store them."""

from __future__ import annotations

import zlib
from collections.abc import Callable, Mapping
from itertools import islice

from django.db import transaction
from procrastinate import JobContext
from procrastinate.contrib.django import app

from jobs.claims import Claim
from jobs.models import TextStatus
from jobs.tasks import RETRY, queue, rescued
from jobs.telling import Telling
from jobs.texts import TextJob
from measured.adapt import store_usage
from measured.models import UsageSet
from rombel.errors import Fault, InputRefused, refuse
from rombel.formats import UsageReading, read_openmetrics, read_range_query, read_usage_csv
from rombel.formats.reading import MOST_FAULTS, Watch
from rombel.formats.usage_text import value_faults
from rombel.usage import assemble

READERS: Mapping[str, Callable[[str, Watch], UsageReading]] = {
    "csv": read_usage_csv,
    "range-query": read_range_query,
    "openmetrics": read_openmetrics,
}


@app.task(queue="plan", pass_context=True, retry=RETRY)
def read_measurements(context: JobContext | None, usage_id: int) -> None:
    """Read a set's text; done twice it does nothing the second time."""
    _JOB.run(usage_id)


def queue_measurements(usage_id: int, *, after_s: int = 0) -> bool:
    """Queue the reading of a text; return whether it did not wait already."""
    return queue(read_measurements, f"usage-{usage_id}", after_s=after_s, usage_id=usage_id)


def _read(held: Claim[UsageSet]) -> None:
    usage = held.row
    text = _text(zlib.decompress(bytes(usage.content or b"")))
    reading = READERS[usage.format](text, Telling(held))
    if faults := [*reading.faults, *islice(value_faults(reading.series), MOST_FAULTS)]:
        raise InputRefused(faults)
    held.write(phase="laying on one grid", share=0.95)
    found = assemble(reading.series, usage.replicas)
    if not found.usage:
        whys = "; ".join(list(found.left_out)[:5])
        mend = "Name namespace and workload (or pod) in labels or columns as the study does."
        raise refuse("usage.unmatched", "", f"No series belongs to a workload of the study: {whys}.", mend)
    with transaction.atomic():
        if held.write():  # Holds the row until the series are stored.
            store_usage(usage, found, reading.samples)


def _text(content: bytes) -> str:
    try:
        return content.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = content.count(b"\n", 0, error.start) + 1
        fault = Fault("file.text", "", "The file is not UTF-8 text.", "Save it as UTF-8.", line, 1)
        raise InputRefused([fault]) from error


_JOB = TextJob(
    rows=UsageSet,
    again=queue_measurements,
    read=_read,
    stopped="Stopped before the end; nothing was kept.",
    refused="The measurements were refused; nothing was changed.",
)
rescued(UsageSet, TextStatus.RUNNING, lambda row: queue_measurements(row.pk))
