"""Delete a study; whoever does types its name."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from rombel.errors import refuse
from studies.actions.of_study import OfStudy
from studies.models import StudyRole


@dataclass
class DeleteStudy(OfStudy[None]):
    """Delete a study with all that is its own; requests for capacity stay, and say that it is gone."""

    typed: str
    name: ClassVar[str] = "study.delete"
    needs: ClassVar[StudyRole] = StudyRole.OWNER

    def execute(self) -> None:
        """Delete it, or refuse where the name was not typed."""
        self.key = self.study.pk
        if self.typed.strip() != self.study.name:
            raise refuse("study.name", "name", "That is not its name.", f"Type '{self.study.name}' to delete it.")
        # Rows first: with them the study's own constraints have nothing left to check.
        self.study.workloads.all().delete()
        self.study.delete()

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.key}"

    def detail(self) -> dict[str, Any]:
        """Return its name."""
        return {"name": self.typed.strip()}
