"""What the worker does for measurements: read a text, lay its series on one grid, store them."""

from __future__ import annotations

import logging
import time
import zlib
from collections.abc import Callable, Mapping
from dataclasses import asdict

from django.db import transaction
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app

from measured.adapt import store_usage
from measured.models import UsageSet, UsageStatus
from rombel.errors import Fault, InputRefused, refuse
from rombel.formats import UsageReading, read_openmetrics, read_range_query, read_usage_csv
from rombel.formats.usage_text import Watch
from rombel.usage import assemble

log = logging.getLogger("rombel.measured")

MOST_ATTEMPTS = 3
TELL_EVERY_S = 0.3

READERS: Mapping[str, Callable[[str, Watch], UsageReading]] = {
    "csv": read_usage_csv,
    "range-query": read_range_query,
    "openmetrics": read_openmetrics,
}


class Stopped(Exception):
    """Somebody asked to stop."""


@app.task(queue="plan", pass_context=True, retry=RetryStrategy(max_attempts=MOST_ATTEMPTS, wait=1))
def read_measurements(context: JobContext | None, usage_id: int) -> None:
    """Read a set's text; done twice it does nothing the second time."""
    usage = UsageSet.objects.filter(pk=usage_id).first()
    if usage is None or usage.status not in (UsageStatus.QUEUED, UsageStatus.RUNNING):
        return
    usage.attempts += 1
    usage.status, usage.phase = UsageStatus.RUNNING, "reading"
    usage.save(update_fields=["attempts", "status", "phase"])
    if usage.attempts > MOST_ATTEMPTS:
        _close(usage, "The worker died three times on this text.")
        return
    try:
        _read(usage)
    except Stopped:
        _close(usage, "Stopped before the end; nothing was kept.")
    except InputRefused as refused:
        _close(usage, "The measurements were refused; nothing was changed.", refused.faults)
    except Exception as error:
        log.exception("reading measurements failed", extra={"usage": usage_id})
        _close(usage, f"Reading failed: {type(error).__name__}. Nothing was changed.")


def _read(usage: UsageSet) -> None:
    text = _text(zlib.decompress(bytes(usage.content or b"")))
    reading = READERS[usage.format](text, _Teller(usage.pk))
    if reading.faults:
        raise InputRefused(reading.faults)
    UsageSet.objects.filter(pk=usage.pk).update(phase="laying on one grid", share=0.95)
    found = assemble(reading.series, usage.replicas)
    if not found.usage:
        whys = "; ".join(list(found.left_out)[:5])
        mend = "Name namespace and workload (or pod) in labels or columns as the study does."
        raise refuse("usage.unmatched", "", f"No series belongs to a workload of the study: {whys}.", mend)
    with transaction.atomic():
        store_usage(usage, found, reading.samples)


class _Teller:
    """Writes the share that was read to the set's row, and stops where somebody asked to."""

    def __init__(self, usage_id: int) -> None:
        self._row, self._last = UsageSet.objects.filter(pk=usage_id), time.monotonic()

    def __call__(self, share: float) -> None:
        now = time.monotonic()
        if now - self._last < TELL_EVERY_S:
            return
        self._last = now
        self._row.update(share=0.9 * share)
        if self._row.values_list("stop_requested", flat=True).get():
            raise Stopped


def _text(content: bytes) -> str:
    try:
        return content.decode("utf-8")
    except UnicodeDecodeError as error:
        line = content.count(b"\n", 0, error.start) + 1
        fault = Fault("file.text", "", "The file is not UTF-8 text.", "Save it as UTF-8.", line, 1)
        raise InputRefused([fault]) from error


def _close(usage: UsageSet, message: str, faults: tuple[Fault, ...] = ()) -> None:
    usage.status, usage.message, usage.content = UsageStatus.FAILED, message[:400], None
    usage.faults = [asdict(fault) for fault in faults]
    usage.phase = "done"
    usage.save(update_fields=["status", "message", "content", "faults", "phase"])
