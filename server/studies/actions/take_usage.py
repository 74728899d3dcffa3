"""Take measured use into a study, or set it aside."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from measured.models import UsageSet, UsageStatus
from rombel.errors import refuse
from studies.edits import Change, record
from studies.models import Study


@dataclass
class TakeUsage(Action[None]):
    """Make a set of series the study's own; None: none is."""

    study: Study
    usage: UsageSet | None
    name: ClassVar[str] = "usage.take"

    def execute(self) -> None:
        """Record it as an edit that can be undone."""
        if self.usage is not None and self.usage.status != UsageStatus.DONE:
            raise refuse("usage.unread", "", "These measurements are not read.", "Wait until they are, or read others.")
        before = {"usage_id": self.study.usage_id}
        after = {"usage_id": self.usage.pk if self.usage else None}
        change = Change(kind="study", key=str(self.study.pk), before=before, after=after)
        record(self.study, self.actor, "usage: " + ("taken" if self.usage else "set aside"), [change])

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return which set it was."""
        return {"usage": self.usage.pk if self.usage else None}
