"""Create a study with its reference variant."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from rombel.errors import refuse
from studies.models import Study, Variant


@dataclass
class CreateStudy(Action[Study]):
    """Make an empty study with one variant, the reference."""

    study_name: str
    organisation: str = ""
    name: ClassVar[str] = "study.create"

    def execute(self) -> Study:
        """Return the new study; a name in use is refused."""
        title = self.study_name.strip()
        if not title:
            raise refuse("study.name", "name", "The study has no name.", "Type a name.")
        if Study.objects.filter(name=title).exists():
            raise refuse("study.twice", "name", f"There is already a study '{title}'.", "Choose another name.")
        self.study = Study.objects.create(name=title, organisation=self.organisation, created_by=self.actor)
        Variant.objects.create(study=self.study, name="reference", position=0, is_reference=True)
        return self.study

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the name given."""
        return {"name": self.study.name}
