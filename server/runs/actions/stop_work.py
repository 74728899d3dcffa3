"""Stop a run or an inquiry and keep the best so far."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from accounts.action import Action
from jobs.asking import stop
from jobs.models import Job
from runs.models import Inquiry, Run


@dataclass
class StopWork(Action[None]):
    """Ask the worker to stop; what it has found so far is kept."""

    target: Run | Inquiry
    name: ClassVar[str] = "work.stop"

    def execute(self) -> None:
        """Ask; the worker hears it within a second."""
        stop(Job.objects.filter(pk=self.target.job_id))
        self.target.job.refresh_from_db()

    def subject(self) -> str:
        """Return what is stopped."""
        return f"{type(self.target).__name__.lower()}:{self.target.pk}"
