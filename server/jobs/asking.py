"""Asking for background work, and asking it to stop."""

from __future__ import annotations

from collections.abc import Sequence

from django.db import transaction
from django.db.models import QuerySet
from django.utils import timezone

from accounts.models import User
from jobs.kinds import kind_of
from jobs.models import ACTIVE, Job, JobStatus
from jobs.running import close_parent
from jobs.tasks import put
from jobs.versions import code_version


def new_job(
    kind: str, subject: str, asked_by: User | None, *, parent: Job | None = None, part: int | None = None
) -> Job:
    """Return the row of a job, which nobody does before it is started."""
    return Job.objects.create(
        kind=kind,
        subject=subject[:200],
        parent=parent,
        part=part,
        priority=kind_of(kind).priority,
        for_version=code_version() if kind_of(kind).computes else "",
        asked_by=asked_by,
    )


def start(job: Job) -> None:
    """Put a job into its queue, or its parts where its kind has some."""
    parts = kind_of(job.kind).parts
    if parts is None:
        put(job)
    else:
        kind, count = parts
        in_parts(job, kind, range(count))


def in_parts(job: Job, kind: str, parts: Sequence[int]) -> None:
    """Let a job be computed by parts of a kind, each with its number; it is under way from now on."""
    Job.objects.filter(pk=job.pk).update(status=JobStatus.RUNNING, phase=f"0 of {len(parts)}")
    job.refresh_from_db()
    for part in parts:
        put(new_job(kind, job.subject, job.asked_by, parent=job, part=part))


def done_job(kind: str, subject: str, asked_by: User | None, message: str = "") -> Job:
    """Return the row of a job that was done at once."""
    ended = {"status": JobStatus.DONE, "phase": "done", "share": 1.0, "finished_at": timezone.now()}
    return Job.objects.create(kind=kind, subject=subject[:200], asked_by=asked_by, message=message, **ended)


def withdraw(job: Job) -> bool:
    """Close a job that nobody has begun; return whether that was so."""
    with transaction.atomic():
        found = Job.objects.select_for_update().get(pk=job.pk)
        if found.status not in ACTIVE or found.worker:
            return False
        found.status, found.phase, found.stop_requested = JobStatus.DONE, "stopped", True
        found.finished_at = timezone.now()
        found.save(update_fields=["status", "phase", "stop_requested", "finished_at"])
        close_parent(found)
    return True


def stop(jobs: QuerySet[Job], message: str = "") -> None:
    """Ask jobs and their parts to stop, and tell why; parts that nobody has begun are closed at once."""
    with transaction.atomic():
        keys = list(jobs.filter(status__in=ACTIVE).values_list("pk", flat=True))
        # All parts are locked before any parent, as whoever closes a part does it: otherwise both could wait for each other.
        parts = list(Job.objects.filter(parent_id__in=keys, status__in=ACTIVE).order_by("pk").select_for_update())
        Job.objects.filter(pk__in=[*keys, *(part.pk for part in parts)]).update(stop_requested=True)
        if message:
            Job.objects.filter(pk__in=keys).update(message=message)
        for part in parts:
            withdraw(part)
