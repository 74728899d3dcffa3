"""Take a price list that was read as the provider's newest edition."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from django.utils import timezone

from accounts.action import Action
from catalogue.adapt import store_edition
from catalogue.comparing import proposed_list
from catalogue.models import OPEN, Edition, Outcome, Provider, Reading
from catalogue.queries import newest_edition
from rombel.errors import InputRefused, refuse
from rombel.model.quantity import day_fault


@dataclass
class TakeReading(Action[Edition]):
    """Store the edition; what was shown is what is taken, or nothing is."""

    reading: Reading
    name: ClassVar[str] = "catalogue.take"

    def execute(self) -> Edition:
        """Return the new edition.

        Raises
        ------
        InputRefused
            When the reading is not open, or another edition was taken since it was compared.

        """
        provider = Provider.objects.select_for_update().get(pk=self.reading.provider_id)
        reading = Reading.objects.select_for_update(of=("self",)).get(pk=self.reading.pk)
        if reading.outcome not in OPEN:
            raise refuse(
                "catalogue.closed", "reading", f"This list is {reading.status}; it cannot be taken.", "Read it again."
            )
        # What was shown was compared with the edition of then.
        newest = newest_edition(provider)
        if (newest.pk if newest else None) != reading.base_id:
            raise refuse(
                "catalogue.overtaken", "reading", "Another edition was taken meanwhile.", "Read the list again."
            )
        listed = proposed_list(reading)
        if fault := day_fault(listed.dated, timezone.now().date()):
            raise InputRefused([fault])
        # An older list over a newer one would turn prices back.
        if newest and listed.dated < newest.dated:
            raise refuse(
                "catalogue.older",
                "dated",
                f"It is dated {listed.dated}, before the newest, {newest.dated}.",
                "Keep that.",
            )
        missing = [entry["region"] for entry in reading.missing]
        self.edition = store_edition(listed, provider, source=reading.source, actor=self.actor, carried_over=missing)
        reading.outcome = Outcome.TAKEN
        reading.save(update_fields=["outcome"])
        return self.edition

    def subject(self) -> str:
        """Return the provider."""
        return f"provider:{self.reading.provider_id}"

    def detail(self) -> dict[str, Any]:
        """Return the reading and the edition made from it."""
        return {"reading": self.reading.pk, "edition": self.edition.pk}
