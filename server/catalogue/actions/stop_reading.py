"""Stop a reading, or put one away that was read."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from accounts.action import Action
from catalogue.models import ACTIVE, OPEN, Reading, ReadingStatus


@dataclass
class StopReading(Action[Reading]):
    """Ask a reading under way to stop; put one away that waits to be taken; one that is closed stays as it is."""

    reading: Reading
    name: ClassVar[str] = "catalogue.stop"

    def execute(self) -> Reading:
        """Return the reading."""
        Reading.objects.filter(pk=self.reading.pk, status__in=OPEN).update(status=ReadingStatus.DISCARDED)
        Reading.objects.filter(pk=self.reading.pk, status__in=ACTIVE).update(stop_requested=True)
        self.reading.refresh_from_db()
        return self.reading

    def subject(self) -> str:
        """Return the provider."""
        return f"provider:{self.reading.provider_id}"
