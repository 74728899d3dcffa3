"""Stop a run and keep the best so far."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from accounts.action import Action
from runs.models import Run


@dataclass
class StopRun(Action[Run]):
    """Ask the worker to stop; what it has found so far is kept."""

    target: Run
    name: ClassVar[str] = "run.stop"

    def execute(self) -> Run:
        """Return the run."""
        Run.objects.filter(pk=self.target.pk).update(stop_requested=True)
        return self.target

    def subject(self) -> str:
        """Return the run."""
        return f"run:{self.target.pk}"
