"""Read a price list from a file's text; it waits to be taken like one from a service."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from django.utils import timezone

from accounts.action import Action
from catalogue.comparing import compare, words_of
from catalogue.models import OPEN, Outcome, Provider, Reading
from catalogue.queries import newest_edition
from jobs.asking import done_job
from rombel.errors import InputRefused, refuse
from rombel.formats import price_list_value, read_offers_csv, read_price_list
from rombel.model.price_list import PriceList
from rombel.model.quantity import day_fault, parse_currency, parse_day


@dataclass
class ProposeFile(Action[Reading]):
    """Read JSON, or CSV with what a line cannot say beside it; a provider not known yet is made."""

    form: str
    text: str
    provider: str = ""
    currency: str = ""
    dated: str = ""
    name: ClassVar[str] = "catalogue.propose"

    def execute(self) -> Reading:
        """Return the reading; a text with any fault is refused whole."""
        listed = read_price_list(self.text) if self.form == "json" else self._offers()
        if fault := day_fault(listed.dated, timezone.now().date()):
            raise InputRefused([fault])
        provider, _ = Provider.objects.get_or_create(name=listed.provider)
        # A provider has one list that waits; what waited before is put away.
        provider.readings.filter(outcome__in=OPEN).update(outcome=Outcome.DISCARDED)
        self.made = Reading(
            provider=provider,
            base=newest_edition(provider),
            source="file",
            outcome=Outcome.READY,
            document=price_list_value(listed),
            created_by=self.actor,
        )
        compare(self.made, listed)
        # There was no background work, and yet everything that looks at readings finds a job.
        self.made.job = done_job("reading", provider.name, self.actor, words_of(listed))
        self.made.save()
        return self.made

    def _offers(self) -> PriceList:
        if not self.provider.strip() or len(self.provider) > 80:
            raise refuse("catalogue.provider", "provider", "The lines name no provider.", "Write its name beside them.")
        currency, day = parse_currency(self.currency, "currency"), parse_day(self.dated, "dated")
        return read_offers_csv(self.text, self.provider.strip(), currency, day)

    def subject(self) -> str:
        """Return the provider."""
        return f"provider:{self.made.provider_id}"

    def detail(self) -> dict[str, Any]:
        """Return the form and the reading."""
        return {"form": self.form, "reading": self.made.pk}
