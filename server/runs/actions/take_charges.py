"""Take a month of actual charges beside a variant's plan, or put one away."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Missing
from rombel.errors import refuse
from rombel.formats import read_cost_data
from rombel.ledger import in_sums, month_of
from runs.actual import stored
from runs.models import ActualMonth
from studies.actions.of_study import OfVariant

MOST_CHARACTERS = 50_000_000


@dataclass
class TakeCharges(OfVariant[ActualMonth]):
    """Read a file of cost data, whole or not at all; a month that was taken before is replaced."""

    month: str
    text: str
    origin: str = ""
    name: ClassVar[str] = "charges.take"

    def execute(self) -> ActualMonth:
        """Return the month as it is kept."""
        found = month_of(self.month)
        if found is None:
            raise refuse("costs.month", "month", f"'{self.month[:20]}' is no month.", "Write such as 2026-11.")
        if len(self.text) > MOST_CHARACTERS:
            reason = f"The file has {len(self.text)} characters, {MOST_CHARACTERS} are read."
            raise refuse("costs.size", "text", reason, "Leave out what belongs to other platforms.")
        charges = read_cost_data(self.text, *found, self.variant.study.currency)
        kept = {
            "origin": self.origin,
            "lines": len(charges),
            "charges": stored(in_sums(charges)),
            "taken_by": self.actor,
        }
        self.made, _ = ActualMonth.objects.update_or_create(variant=self.variant, month=self.month, defaults=kept)
        return self.made

    def detail(self) -> dict[str, Any]:
        """Return the month and where it is from."""
        return {"month": self.month, "origin": self.origin, "lines": self.made.lines}


@dataclass
class DropCharges(OfVariant[None]):
    """Put a month of actual charges away; the file can be handed in again."""

    month: str
    name: ClassVar[str] = "charges.drop"

    def execute(self) -> None:
        """Drop it; ``Missing`` when there is none."""
        gone, _ = self.variant.actual_months.filter(month=self.month).delete()
        if not gone:
            raise Missing(f"No charges of {self.month[:20]} were taken.")

    def detail(self) -> dict[str, Any]:
        """Return the month."""
        return {"month": self.month}
