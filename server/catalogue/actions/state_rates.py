"""State what currencies are worth on a day."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar

from django.utils import timezone

from accounts.action import Action
from catalogue.models import RateSheet
from rombel.errors import InputRefused, refuse
from rombel.model.quantity import day_fault, parse_currency, parse_day, parse_price


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
        if fault := day_fault(day, timezone.now().date()):
            raise InputRefused([replace(fault, path="dated")])
        parse_currency(self.base, "base")
        if not self.worth:
            raise refuse(
                "money.none", "worth", "No rate is stated.", "State what one unit of another currency is worth."
            )
        if RateSheet.objects.filter(dated=day, of_file=False).exists():
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
