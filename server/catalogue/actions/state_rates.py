"""State what currencies are worth on a day."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from catalogue.models import RateSheet
from rombel.errors import refuse
from rombel.model.quantity import parse_currency, parse_day, parse_price


@dataclass
class StateRates(Action[RateSheet]):
    """Add a dated sheet; a day has one, and what was stated for it stays."""

    dated: str
    base: str
    worth: dict[str, str]
    source: str = ""
    name: ClassVar[str] = "rates.state"

    def execute(self) -> RateSheet:
        """Return the new sheet; rates are above zero and codes have three letters."""
        day = parse_day(self.dated, "dated")
        if RateSheet.objects.filter(dated=day).exists():
            raise refuse("money.twice", "dated", f"Rates for {day} are stated already.", "State them for another day.")
        for code, text in self.worth.items():
            path = f"worth.{code}"
            if parse_currency(code, path) == self.base:
                raise refuse("money.code", path, f"'{code}' is the base itself.", "State what another is worth.")
            parse_price(text, path)
        self.made = RateSheet.objects.create(
            dated=day, base=self.base, worth=self.worth, source=self.source, stated_by=self.actor
        )
        return self.made

    def subject(self) -> str:
        """Return the sheet."""
        return f"rates:{self.made.pk}"

    def detail(self) -> dict[str, Any]:
        """Return day and rates."""
        return {"dated": self.dated, "worth": self.worth}
