"""Stop a job and keep the best so far, of whatever kind it is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from accounts.action import Action
from jobs.asking import stop
from jobs.models import Job, Worked


@dataclass
class StopJob(Action[None]):
    """Ask the worker to stop; what its kind keeps of half-done work is kept."""

    target: Worked
    name: ClassVar[str] = "job.stop"

    def execute(self) -> None:
        """Ask; the worker hears it within a second."""
        stop(Job.objects.filter(pk=self.target.job_id))
        self.target.job.refresh_from_db()

    def subject(self) -> str:
        """Return what is stopped."""
        return f"{type(self.target).__name__.lower()}:{self.target.pk}"
