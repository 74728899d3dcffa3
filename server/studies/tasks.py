"""What the worker does for large texts of demand: read one, tell what it would do, or take its rows."""

from __future__ import annotations

import zlib
from typing import Any

from django.db import transaction
from procrastinate import JobContext
from procrastinate.contrib.django import app

from accounts.action import Missing, NotAllowed
from jobs.claims import Claim
from jobs.models import TextStatus
from jobs.tasks import RETRY, queue, rescued
from jobs.telling import Stopped, Telling
from jobs.texts import TextJob
from rombel.formats import Mapped
from studies.actions.take_demand import TakeDemand
from studies.importing import Source, preview, read_source
from studies.models import LargeText


@app.task(queue="plan", pass_context=True, retry=RETRY)
def read_text(context: JobContext | None, text_id: int) -> None:
    """Read a text; done twice it does nothing the second time."""
    _JOB.run(text_id)


def queue_text(text_id: int, *, after_s: int = 0) -> bool:
    """Queue the reading of a text, before fits since somebody waits for it; return whether it did not wait already."""
    return queue(read_text, f"text-{text_id}", priority=8, after_s=after_s, text_id=text_id)


def source_of(row: LargeText) -> Source:
    """Return the text as it was handed in."""
    content = zlib.decompress(bytes(row.content or b"")).decode("utf-8", "surrogatepass")
    return Source(row.format, content, row.origin, Mapped(**row.mapped))


def _read(held: Claim[LargeText]) -> None:
    row, source = held.row, source_of(held.row)
    reading = read_source(source, Telling(held))
    if not row.takes:
        held.close(**_done(preview(reading, source, row.study)))
        return
    action = TakeDemand(row.asked_by, row.study, source, row.remove_gone, reading)
    # One transaction: were the worker lost between the two, the rows would be taken a second time.
    with transaction.atomic():
        rows = action.run()
        if not held.close(**_done({"rows": rows})):
            raise Stopped


def _done(result: dict[str, Any]) -> dict[str, Any]:
    return {"status": TextStatus.DONE, "phase": "done", "share": 1.0, "content": None, "result": result}


_JOB = TextJob(
    rows=LargeText,
    again=queue_text,
    read=_read,
    stopped="Stopped before the end; nothing was taken.",
    refused="The text was refused; nothing was changed.",
    told=(Missing, NotAllowed),
)
rescued(LargeText, TextStatus.RUNNING, lambda row: queue_text(row.pk))
