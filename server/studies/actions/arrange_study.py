"""What a study is called, how it is tagged, and whether it is put away."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from django.utils import timezone

from rombel.errors import Fault, InputRefused
from studies.actions.of_study import OfStudy, Recording
from studies.edits import Change, record
from studies.models import Study, StudyRole
from studies.sharing import demand_role

MOST_TAGS = 20
LONGEST_TAG = 40


@dataclass
class ArrangeStudy(Recording, OfStudy[None]):
    """Set name or tags of a study, or put it away (``archived``), as one edit; nothing of it is lost."""

    fields: dict[str, Any]
    name: ClassVar[str] = "study.arrange"

    def permit(self) -> None:
        """Go on only where the person may: editors name and tag a study, owners put it away."""
        demand_role(self.study, self.actor, StudyRole.OWNER if "archived" in self.fields else StudyRole.EDITOR)

    def execute(self) -> None:
        """Apply them, or refuse them with every fault."""
        study, after = self.study, dict[str, Any]()
        if "name" in self.fields:
            after["name"] = self.fields["name"].strip()
        if "tags" in self.fields:
            # As they were typed, each once.
            after["tags"] = list(dict.fromkeys(tag.strip() for tag in self.fields["tags"] if tag.strip()))
        if "archived" in self.fields and self.fields["archived"] is not bool(study.archived_at):
            after["archived_at"] = timezone.now().isoformat() if self.fields["archived"] else None
        if faults := list(self._faults(after)):
            raise InputRefused(faults)
        at = study.archived_at
        before = {name: getattr(study, name) for name in after} | (
            {"archived_at": None if at is None else at.isoformat()} if "archived_at" in after else {}
        )
        change = Change(kind="study", key=str(study.pk), before=before, after=after)
        self.recorded = record(study, self.actor, f"study: {', '.join(sorted(self.fields))}", [change])

    def _faults(self, after: dict[str, Any]) -> list[Fault]:
        faults = []
        if after.get("name", "x") == "":
            faults.append(Fault("study.name", "name", "The study has no name.", "Type a name."))
        if Study.objects.filter(name=after.get("name", "")).exclude(pk=self.study.pk).exists():
            reason = f"There is already a study '{after['name']}'."
            faults.append(Fault("study.twice", "name", reason, "Choose another name."))
        for place, tag in enumerate(after.get("tags", ())):
            if len(tag) > LONGEST_TAG:
                reason = f"'{tag[:20]}…' has {len(tag)} characters."
                faults.append(Fault("study.tag", f"tags.{place}", reason, f"Write {LONGEST_TAG} at most."))
        if len(after.get("tags", ())) > MOST_TAGS:
            faults.append(Fault("study.tags", "tags", f"{len(after['tags'])} tags are too many.", f"Keep {MOST_TAGS}."))
        return faults

    def detail(self) -> dict[str, Any]:
        """Return the fields set."""
        return self.fields
