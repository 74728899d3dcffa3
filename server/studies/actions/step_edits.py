"""Undo the last edit of a study, or do it again."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from studies.actions.of_study import OfStudy
from studies.edits import redo, undo
from studies.models import Edit


@dataclass
class StepEdits(OfStudy[Edit]):
    """Take one step back, or forward again."""

    forward: bool
    expected: int | None = None
    name: ClassVar[str] = "edit.step"

    def execute(self) -> Edit:
        """Return the edit that was undone or done again."""
        # With an expected edit nothing happens where another one came between.
        self.edit = (redo if self.forward else undo)(self.study, self.expected)
        return self.edit

    def detail(self) -> dict[str, Any]:
        """Return which edit, and which way."""
        return {"edit": self.edit.pk, "forward": self.forward}
