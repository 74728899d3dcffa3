"""Start reading a provider's service."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from django.db import IntegrityError, transaction

from accounts.action import Action
from catalogue.models import OPEN, Outcome, Provider, Reading
from catalogue.queries import newest_edition
from jobs.asking import new_job, start
from rombel.errors import refuse


@dataclass
class StartReading(Action[Reading]):
    """Queue a reading; while one is under way a second is refused, and one that waits to be taken is put away."""

    provider: Provider
    name: ClassVar[str] = "catalogue.read"

    def execute(self) -> Reading:
        """Return the queued reading."""
        if not self.provider.service_url:
            raise refuse(
                "catalogue.service",
                "provider",
                f"{self.provider.name} has no offer service.",
                "Import its list as a file.",
            )
        self.provider.readings.filter(outcome__in=OPEN).update(outcome=Outcome.DISCARDED)
        try:
            # A constraint of the table lets one reading of a provider be under way; two askers at once are told apart by it.
            with transaction.atomic():
                self.made = Reading.objects.create(
                    job=new_job("reading", self.provider.name, self.actor),
                    provider=self.provider,
                    base=newest_edition(self.provider),
                    source="service",
                    created_by=self.actor,
                )
        except IntegrityError:
            other = self.provider.readings.filter(outcome="").select_related("created_by").first()
            who = other.created_by.shown_name if other else "somebody"
            raise refuse(
                "catalogue.busy",
                "provider",
                f"{who} is reading {self.provider.name}'s list already.",
                "Watch that one.",
            ) from None
        start(self.made.job)
        return self.made

    def subject(self) -> str:
        """Return the provider."""
        return f"provider:{self.provider.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the reading."""
        return {"reading": self.made.pk}
