"""Where a job that waits stands in its queue, and whether anybody works at all."""

from __future__ import annotations

from typing import Any

from django.db import connection
from django.db.models import Q
from procrastinate.contrib.django.models import ProcrastinateJob

from jobs.models import Job, JobStatus
from jobs.tasks import lock_of


def workers_alive() -> int:
    """Return how many workers have let themselves be heard of late."""
    with connection.cursor() as cursor:
        cursor.execute(
            "select count(*) from procrastinate_workers where last_heartbeat > now() - interval '40 seconds'"
        )
        return int(cursor.fetchone()[0])


def place_of(job: Job) -> dict[str, Any]:
    """Return how many jobs are before one that waits, those being done included, and whether a worker lives.

    Of a job that does not wait both are as if it were next.
    """
    waits = job.status == JobStatus.QUEUED
    # Only an entry that is to be done still has a place in the line.
    entry = ProcrastinateJob.objects.filter(queueing_lock=lock_of(job.pk), status="todo").first() if waits else None
    if entry is None:
        return {"ahead": 0, "worker_alive": True}
    same = ProcrastinateJob.objects.filter(queue_name=entry.queue_name)
    sooner = Q(priority__gt=entry.priority) | Q(priority=entry.priority, id__lt=entry.pk)
    # What is being done counts as well: it must end before the next begins.
    ahead = same.filter(Q(status="doing") | (Q(status="todo") & sooner)).exclude(pk=entry.pk).count()
    return {"ahead": ahead, "worker_alive": workers_alive() > 0}
