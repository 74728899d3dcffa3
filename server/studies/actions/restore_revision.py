"""Bring an earlier revision back as a new variant."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from studies.actions.change_variant import ChangeVariant
from studies.actions.create_variant import CreateVariant
from studies.edits import record
from studies.models import Variant
from studies.revisions import revision_by_id, rows_since, variant_at


@dataclass
class RestoreRevision(CreateVariant):
    """Make a variant with the choices that one had at a revision; the rows of demand, which all variants share, only where asked.

    Parameters
    ----------
    number
        Of the revision; 0: the study as it began.
    demand
        Whether rows become again what they were then, as an edit that can be undone.

    """

    number: int = 0
    demand: bool = False
    name: ClassVar[str] = "revision.restore"

    def execute(self) -> Variant:
        """Return the new variant; refuse where its choices are of what is no longer sold."""
        study = self.source.study
        revision_by_id(study, self.number)
        changes = rows_since(study, self.number) if self.demand else []
        self.source = variant_at(self.source, self.number)
        made = super().execute()
        # A family or a tier may have left the price list since; nothing is silently put in its place.
        ChangeVariant(self.actor, made, {}).checked()
        record(study, self.actor, f"demand as at revision {self.number}", changes)
        return made

    def detail(self) -> dict[str, Any]:
        """Return which revision, and the name given."""
        return {"variant": self.title, "revision": self.number, "demand": self.demand}
