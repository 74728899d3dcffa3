"""Let a study calculate with other rates."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from catalogue.models import RateSheet
from rombel.errors import refuse
from studies.actions.of_study import OfStudy, Recording
from studies.edits import Change, record


@dataclass
class UseRates(Recording, OfStudy[None]):
    """Set the sheet of rates that every variant of a study converts by; an edit like any other, so undo takes it back."""

    sheet_id: int
    name: ClassVar[str] = "study.rates"

    def execute(self) -> None:
        """Apply it as one edit; an unknown sheet is refused."""
        sheet = RateSheet.objects.filter(pk=self.sheet_id).first()
        if sheet is None:
            raise refuse("money.sheet", "sheet_id", "There are no such rates.", "Choose a sheet that is stated.")
        before, after = {"rates_id": self.study.rates_id}, {"rates_id": sheet.pk}
        change = Change(kind="study", key=str(self.study.pk), before=before, after=after)
        self.recorded = record(self.study, self.actor, f"rates of {sheet.dated}", [change])

    def detail(self) -> dict[str, Any]:
        """Return the sheet."""
        return {"sheet": self.sheet_id}
