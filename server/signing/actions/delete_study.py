"""Delete a study that has no signed plan."""

from __future__ import annotations

from dataclasses import dataclass

from rombel.errors import refuse
from signing.models import SignOff, State
from studies.actions.delete_study import DeleteStudy


@dataclass
class DeleteUnsignedStudy(DeleteStudy):
    """Delete a study; one with a plan that was ever signed stays, as somebody answers for it."""

    def execute(self) -> None:
        """Delete it, or refuse."""
        signed = (State.SIGNED, State.SUPERSEDED)
        if SignOff.objects.filter(study=self.study, state__in=signed).exists():
            reason = "A plan of this study was signed, and what was signed stays."
            raise refuse("study.signed", "name", reason, "Put the study away instead: it is no longer listed then.")
        super().execute()
