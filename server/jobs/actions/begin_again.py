"""Begin a job again that failed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action, Missing
from accounts.models import Role
from jobs.kinds import kind_of
from jobs.models import Job, JobStatus
from jobs.tasks import put
from jobs.versions import code_version
from rombel.errors import refuse


@dataclass
class BeginAgain(Action[Job]):
    """Queue a failed job anew, as often tried as one that was never begun; one that somebody else began again meanwhile stays as it is."""

    key: int
    name: ClassVar[str] = "jobs.again"
    roles: ClassVar[tuple[Role, ...]] = (Role.LEAD,)

    def lock(self) -> None:
        """Hold the job."""
        row = Job.objects.select_for_update(of=("self",)).filter(pk=self.key).first()
        if row is None:
            raise Missing(f"There is no job {self.key}.")
        self.job = row
        self.changed = row.status == JobStatus.FAILED

    def changed_anything(self) -> bool:
        """Return whether it was begun again here."""
        return self.changed

    def execute(self) -> Job:
        """Return the job."""
        job, kind = self.job, kind_of(self.job.kind)
        if not self.changed:
            return job
        if not kind.again or kind.parts or job.parent_id or job.stop_requested:
            fix = "Ask for it anew where it was asked for."
            raise refuse(
                "job.again", "job", "What it was to compute from is no longer kept, or somebody stopped it.", fix
            )
        job.status, job.phase, job.share, job.message, job.attempts = JobStatus.QUEUED, "", 0.0, "", 0
        job.finished_at, job.worker, job.seen_at = None, "", None
        job.for_version = code_version() if kind.computes else ""
        job.save()
        put(job)
        return job

    def subject(self) -> str:
        """Return the job."""
        return f"job:{self.key}"

    def detail(self) -> dict[str, Any]:
        """Return what it is."""
        return {"kind": self.job.kind, "of": self.job.subject}
