"""The rescue: what a worker left is queued again. It runs on a worker of its own, so that no long job keeps it waiting."""

from __future__ import annotations

import logging
from collections.abc import Callable
from datetime import timedelta
from typing import Any

from asgiref.sync import sync_to_async
from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.exceptions import AlreadyEnqueued

from jobs.claims import GONE_S, MOST_ATTEMPTS
from jobs.models import Work

log = logging.getLogger("rombel.jobs")

RETRY = RetryStrategy(max_attempts=MOST_ATTEMPTS, wait=1)
"""Of every job of a claimed row."""
STALLED_S = 40.0
"""Jobs whose worker's heart has not beaten for so long; rows are found sooner, by their own beat."""

_LEFT: list[tuple[type[Work], str, Callable[[Any], bool]]] = []


def queue(task: Any, lock: str, *, priority: int = 0, after_s: int = 0, **given: Any) -> bool:
    """Queue a job under a lock; one that waits already is left alone. Return whether it was queued."""
    later: dict[str, Any] = {"schedule_in": {"seconds": after_s}} if after_s else {}
    try:
        with transaction.atomic():
            task.configure(priority=priority, queueing_lock=lock, **later).defer(**given)
    except AlreadyEnqueued:
        return False
    return True


def rescued(rows: type[Work], running: str, again: Callable[[Any], bool]) -> None:
    """Name a table whose rows are queued again by ``again`` when their status says running and their worker is gone."""
    _LEFT.append((rows, running, again))


def queue_again() -> int:
    """Queue every row whose worker is gone, once; return how many."""
    found = 0
    before = timezone.now() - timedelta(seconds=GONE_S)
    for rows, running, again in _LEFT:
        found_rows: QuerySet[Any] = QuerySet(rows)
        for row in found_rows.filter(status=running, seen_at__lt=before):
            if not again(row):
                continue
            found += 1
            log.warning("a worker is gone; its job is queued again", extra={"job": f"{rows.__name__} {row.pk}"})
    return found


@app.periodic(cron="* * * * * */5")
@app.task(queue="rescue", queueing_lock="rescue", pass_context=True)
async def rescue(context: JobContext, timestamp: int) -> None:
    """Queue again what workers left: jobs that the queue knows of, and rows whose worker was not heard of."""
    manager = app.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_S):
        await manager.retry_job(job)
    await sync_to_async(queue_again)()
