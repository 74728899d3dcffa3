"""Where a job that waits stands in its queue, and whether anybody works at all."""

from __future__ import annotations

from typing import Any

from django.db import connection
from django.db.models import Q
from procrastinate.contrib.django.models import ProcrastinateJob


def workers_alive() -> int:
    """Return how many workers have let themselves be heard of late."""
    with connection.cursor() as cursor:
        cursor.execute(
            "select count(*) from procrastinate_workers where last_heartbeat > now() - interval '40 seconds'"
        )
        return int(cursor.fetchone()[0])


def place_of(lock: str, *, waits: bool) -> dict[str, Any]:
    """Return how many jobs are before the one that waits under a lock, those being done included, and whether a worker lives.

    Of a row that does not wait both are as if it were next.
    """
    job = ProcrastinateJob.objects.filter(queueing_lock=lock, status="todo").first() if waits else None
    if job is None:
        return {"ahead": 0, "worker_alive": True}
    same = ProcrastinateJob.objects.filter(queue_name=job.queue_name)
    sooner = Q(priority__gt=job.priority) | Q(priority=job.priority, id__lt=job.pk)
    ahead = same.filter(Q(status="doing") | (Q(status="todo") & sooner)).exclude(pk=job.pk).count()
    return {"ahead": ahead, "worker_alive": workers_alive() > 0}
