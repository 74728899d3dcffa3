"""Stop a reading, or put one away that was read."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from accounts.action import Action
from catalogue.models import OPEN, Reading, ReadingStatus


@dataclass
class StopReading(Action[Reading]):
    """Ask a reading under way to stop; put one away that waits to be taken; one that is closed stays as it is."""

    reading: Reading
    name: ClassVar[str] = "catalogue.stop"

    def execute(self) -> Reading:
        """Return the reading."""
        row = Reading.objects.filter(pk=self.reading.pk)
        # One that no worker has begun is closed here: nobody would read the wish to stop if no worker runs.
        row.filter(status__in=(*OPEN, ReadingStatus.QUEUED)).update(status=ReadingStatus.DISCARDED)
        row.filter(status=ReadingStatus.RUNNING).update(stop_requested=True)
        self.reading.refresh_from_db()
        return self.reading

    def subject(self) -> str:
        """Return the provider."""
        return f"provider:{self.reading.provider_id}"
