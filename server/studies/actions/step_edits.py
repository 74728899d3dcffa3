"""Undo the last edit of a study, or do it again."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from studies.edits import redo, undo
from studies.models import Edit, Study


@dataclass
class StepEdits(Action[Edit]):
    """Take one step back, or forward again."""

    study: Study
    forward: bool
    name: ClassVar[str] = "edit.step"

    def execute(self) -> Edit:
        """Return the edit that was undone or done again."""
        self.edit = redo(self.study) if self.forward else undo(self.study)
        return self.edit

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return which edit, and which way."""
        return {"edit": self.edit.pk, "forward": self.forward}
