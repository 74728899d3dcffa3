"""Take measured use into a study, or set it aside."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from jobs.models import JobStatus
from measured.models import UsageSet
from rombel.errors import refuse
from studies.actions.of_study import OfStudy, Recording
from studies.edits import Change, record


@dataclass
class TakeUsage(Recording, OfStudy[None]):
    """Make a set of series the study's own; None: none is."""

    usage: UsageSet | None
    name: ClassVar[str] = "usage.take"

    def execute(self) -> None:
        """Record it as an edit that can be undone."""
        if self.usage is not None and self.usage.status != JobStatus.DONE:
            raise refuse("usage.unread", "", "These measurements are not read.", "Wait until they are, or read others.")
        before = {"usage_id": self.study.usage_id}
        after = {"usage_id": self.usage.pk if self.usage else None}
        change = Change(kind="study", key=str(self.study.pk), before=before, after=after)
        self.recorded = record(self.study, self.actor, "usage: " + ("taken" if self.usage else "set aside"), [change])

    def detail(self) -> dict[str, Any]:
        """Return which set it was."""
        return {"usage": self.usage.pk if self.usage else None}
