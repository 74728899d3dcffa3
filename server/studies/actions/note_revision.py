"""Say why an edit was made."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Missing
from studies.actions.of_study import OfStudy


@dataclass
class NoteRevision(OfStudy[None]):
    """Keep why an edit was made; empty takes that back."""

    number: int
    why: str
    name: ClassVar[str] = "revision.note"

    def execute(self) -> None:
        """Keep it; ``Missing`` where there is no such edit."""
        if not self.study.edits.filter(pk=self.number).update(why=self.why.strip()):
            raise Missing(f"There is no revision {self.number}.")

    def detail(self) -> dict[str, Any]:
        """Return which edit, and why."""
        return {"revision": self.number, "why": self.why}
