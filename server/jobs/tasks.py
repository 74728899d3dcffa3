"""The tasks of the queue: one that does any job, and the rescue, which runs on a worker of its own so that no long job keeps it waiting."""

from __future__ import annotations

import logging
from typing import Any

from asgiref.sync import sync_to_async
from django.db import transaction
from django.db.models import CharField, Q, Value
from django.db.models.functions import Cast, Concat
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app
from procrastinate.contrib.django.models import ProcrastinateJob
from procrastinate.exceptions import AlreadyEnqueued

from jobs.claims import GONE_S, MOST_ATTEMPTS, OtherVersion, StillHeld
from jobs.clock import before, heard_of_within
from jobs.kinds import kind_of
from jobs.models import ACTIVE, Job, JobStatus
from jobs.presence import AWAY_S, forget_gone, living
from jobs.running import run

log = logging.getLogger("rombel.jobs")

RETRY = RetryStrategy(max_attempts=MOST_ATTEMPTS, wait=1)
"""Where the database was away for longer than an answer waits for it."""
STALLED_S = 40.0
"""Entries of the queue whose worker's heart has not beaten for so long; jobs are found sooner, by their own beat."""
HELD_S, GAVE_WAY_S = 5, 1
"""After so many seconds a job comes again that another worker holds, or that gave way."""


@app.task(queue="plan", pass_context=True, retry=RETRY)
def work(context: JobContext | None, job_id: int) -> None:
    """Do a job; done twice it does nothing the second time."""
    try:
        # A job that another worker holds comes again in case that one dies.
        again = None if run(job_id) else GAVE_WAY_S
    except (StillHeld, OtherVersion):
        again = HELD_S
    job = None if again is None else Job.objects.filter(pk=job_id).first()
    if job is not None:
        put(job, after_s=again or 0)


def put(job: Job, *, after_s: int = 0) -> bool:
    """Put a job into its kind's queue; return whether it did not wait there already."""
    later: dict[str, Any] = {"schedule_in": {"seconds": after_s}} if after_s else {}
    configured = work.configure(
        queue=kind_of(job.kind).queue, priority=job.priority, queueing_lock=lock_of(job.pk), **later
    )
    # The lock of the queue lets a job wait once; asking twice is no mistake.
    try:
        with transaction.atomic():
            configured.defer(job_id=job.pk)
    except AlreadyEnqueued:
        return False
    return True


def lock_of(key: int) -> str:
    """Return the name under which a job waits only once."""
    return f"job-{key}"


def queue_again() -> int:
    """Put back every job whose worker is gone, and every one that waits while the queue knows nothing of it; return how many."""
    # Running, but its worker has not been heard of.
    left = Q(status=JobStatus.RUNNING) & ~heard_of_within(GONE_S) & ~Q(worker="")
    lock = Concat(Value("job-"), Cast("pk", CharField()), output_field=CharField())
    # What the queue still knows comes by itself.
    known = ProcrastinateJob.objects.filter(status__in=("todo", "doing"), queueing_lock__isnull=False)
    jobs = Job.objects.filter(left | Q(status=JobStatus.QUEUED, created_at__lt=before(GONE_S))).alias(lock=lock)
    found = 0
    # Queued, and yet no entry of the queue: it was lost between two writes.
    for job in jobs.exclude(status=JobStatus.QUEUED, lock__in=known.values("queueing_lock")):
        if put(job):
            found += 1
            log.warning("a job without a worker is queued again", extra={"job": f"{job.kind} {job.pk}"})
    return found


def adopt() -> int:
    """Let any worker do the jobs that were asked of code which no living worker has any more; return how many."""
    versions = set(living().values_list("version", flat=True))
    if not versions:
        return 0
    # Only what has waited for a while: workers of a new version may start before the old ones' last jobs are asked.
    left = Job.objects.filter(status__in=ACTIVE, created_at__lt=before(AWAY_S)).exclude(for_version__in=("", *versions))
    found = left.update(for_version="")
    if found:
        log.warning("jobs of code that no worker has are done by whoever is there", extra={"jobs": found})
    return found


@app.periodic(cron="* * * * * */5")
@app.task(queue="rescue", queueing_lock="rescue", pass_context=True)
async def rescue(context: JobContext, timestamp: int) -> None:
    """Queue again what workers left: entries of the queue, and jobs whose worker was not heard of."""
    manager = app.job_manager
    for entry in await manager.get_stalled_jobs(seconds_since_heartbeat=STALLED_S):
        await manager.retry_job(entry)
    await sync_to_async(queue_again)()
    await sync_to_async(adopt)()
    await sync_to_async(forget_gone)()
