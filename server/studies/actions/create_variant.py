"""Make a variant with the choices of another."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from rombel.errors import refuse
from studies.actions.of_study import InStudy, held
from studies.edits import variant_fields
from studies.models import Study, Variant
from studies.queries import variant_by_id


@dataclass
class CreateVariant(InStudy, Action[Variant]):
    """Make a variant that starts with the choices of another."""

    source: Variant
    title: str
    name: ClassVar[str] = "variant.create"

    def concerned(self) -> Study:
        """Return the source's study."""
        return self.source.study

    def lock(self) -> None:
        """Hold the study and read the source anew."""
        held(self.source.study_id)
        self.source = variant_by_id(self.source.pk)

    def execute(self) -> Variant:
        """Return the new variant; a name in use is refused."""
        study, title = self.source.study, self.title.strip()
        if not title or study.variants.filter(name=title).exists():
            raise refuse("variant.twice", "name", f"'{title}' is empty or in use.", "Choose another name.")
        position = max(Variant.every.filter(study=study).values_list("position", flat=True)) + 1
        fields = {**variant_fields(self.source), "limits": self.source.limits}
        own = {"name": title, "position": position, "came_from": self.source}
        self.made = Variant.objects.create(study=study, **own, **fields)
        # Reasons for leaving a rule go along, as the choices do.
        for row in self.source.deviations.all():
            self.made.deviations.create(rule=row.rule, chosen=row.chosen, why=row.why, stated_by=row.stated_by)
        return self.made

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.source.study_id}"

    def detail(self) -> dict[str, Any]:
        """Return the name given."""
        return {"variant": self.title}
