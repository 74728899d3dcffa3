"""Stop a reading, or put one away that was read."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from accounts.action import Action
from catalogue.models import OPEN, Outcome, Reading
from jobs.asking import stop, withdraw
from jobs.models import Job


@dataclass
class StopReading(Action[Reading]):
    """Ask a reading under way to stop; put one away that waits to be taken; one that is closed stays as it is."""

    reading: Reading
    name: ClassVar[str] = "catalogue.stop"

    def execute(self) -> Reading:
        """Return the reading."""
        row = Reading.objects.filter(pk=self.reading.pk)
        # One that no worker has begun is closed here: nobody would read the wish to stop if no worker runs.
        closed = withdraw(self.reading.job)
        row.filter(outcome__in=("", *OPEN) if closed else OPEN).update(outcome=Outcome.DISCARDED)
        stop(Job.objects.filter(pk=self.reading.job_id))
        self.reading.refresh_from_db()
        return self.reading

    def subject(self) -> str:
        """Return the provider."""
        return f"provider:{self.reading.provider_id}"
