"""One row of a job: what is computed in the background, how far it is, and who computes it."""

from __future__ import annotations

from datetime import datetime
from typing import Any, TypeVar

from django.db import models
from django.db.models.functions import Now

from accounts.models import User

R = TypeVar("R", bound="Worked")


class JobStatus(models.TextChoices):
    """Where a job stands."""

    QUEUED = "queued"
    RUNNING = "running"
    DONE = "done"
    FAILED = "failed"


ACTIVE = (JobStatus.QUEUED, JobStatus.RUNNING)
"""Statuses in which there is something to do."""


class Job(models.Model):
    """A piece of background work.

    Attributes
    ----------
    kind, subject
        Which kind of work it is, and of what, in words.
    parent, part
        The job that this is a part of, and which part; a job with parts is computed by them and claimed by nobody.
    priority
        Jobs of a higher one are taken first.
    status, phase, share, message
        How far it is, and what is told of how it ended.
    stop_requested
        Somebody wishes it to stop.
    attempts, worker, seen_at
        How often it was claimed, by which claim it is held, and when that was last heard of.
    asked_by
        Who asked for it; empty where nobody did.
    process
        The process that computes it, or did last; empty: none has begun, or it is gone.
    for_version
        The code that it was asked of, so that whoever asks twice is answered alike; empty: any may compute it.
    core_version
        The version of the core that computed it last; empty: none has begun.

    """

    kind = models.CharField(max_length=20)
    subject = models.CharField(max_length=200, blank=True)
    parent = models.ForeignKey("self", on_delete=models.CASCADE, related_name="parts", null=True)
    part = models.PositiveIntegerField(null=True)
    priority = models.SmallIntegerField(default=0)
    status = models.CharField(max_length=10, choices=JobStatus.choices, default=JobStatus.QUEUED)
    phase = models.CharField(max_length=80, blank=True)
    share = models.FloatField(default=0)
    message = models.TextField(blank=True)
    stop_requested = models.BooleanField(default=False)
    attempts = models.PositiveSmallIntegerField(default=0)
    worker = models.CharField(max_length=36, blank=True)
    seen_at = models.DateTimeField(null=True)
    # No bond of the database: a worker whose row was dropped while its machine slept must not fail at its next claim.
    process = models.ForeignKey(
        "Worker", on_delete=models.DO_NOTHING, db_constraint=False, related_name="jobs", null=True
    )
    asked_by = models.ForeignKey(User, on_delete=models.PROTECT, related_name="+", null=True)
    for_version = models.CharField(max_length=60, blank=True)
    core_version = models.CharField(max_length=40, blank=True)
    created_at = models.DateTimeField(db_default=Now(), editable=False)
    finished_at = models.DateTimeField(null=True)

    class Meta:
        """Oldest first; what is not closed is looked for often."""

        ordering = ("id",)
        indexes = (models.Index(fields=["status", "seen_at"], name="jobs_to_look_after"),)


class Worker(models.Model):
    """A process that works on queues, on whichever machine; it shows that it lives every few seconds.

    ``version``: of the code that it computes with.
    """

    machine = models.CharField(max_length=120)
    process = models.PositiveIntegerField()
    queues = models.CharField(max_length=200)
    at_once = models.PositiveSmallIntegerField(default=1)
    version = models.CharField(max_length=60)
    started_at = models.DateTimeField(db_default=Now(), editable=False)
    seen_at = models.DateTimeField(db_default=Now())

    class Meta:
        """Oldest first."""

        ordering = ("id",)


class WithJob(models.Manager[R]):
    """Rows together with their jobs, since whoever looks at one looks at both."""

    def get_queryset(self) -> models.QuerySet[R]:
        """Return all rows."""
        return super().get_queryset().select_related("job")


class Worked(models.Model):
    """A row that a job computes; what is told of the job can be read from it as well."""

    job = models.OneToOneField(Job, on_delete=models.PROTECT, related_name="%(class)s")

    objects = WithJob()

    class Meta:
        """No table of its own."""

        abstract = True

    @property
    def status(self) -> str:
        """Return where the job stands."""
        return self.job.status

    @property
    def phase(self) -> str:
        """Return what is being done."""
        return self.job.phase

    @property
    def share(self) -> float:
        """Return how much of it is done, from 0 to 1."""
        return self.job.share

    @property
    def message(self) -> str:
        """Return what is told of how it ended."""
        return self.job.message

    @property
    def stop_requested(self) -> bool:
        """Return whether somebody wishes it to stop."""
        return self.job.stop_requested

    @property
    def ended_at(self) -> datetime:
        """Return when it ended; while it has not, when it was asked for."""
        return self.job.finished_at or self.job.created_at


def forget_job(sender: type[Worked], instance: Worked, **_: Any) -> None:
    """Delete the job of a row that was deleted."""
    Job.objects.filter(pk=instance.job_id).delete()
