"""Hand a large text of demand to a worker."""

from __future__ import annotations

from dataclasses import asdict, dataclass
from datetime import timedelta
from typing import Any, ClassVar

from django.utils import timezone

from accounts.action import Action
from jobs.asking import new_job, start
from jobs.models import ACTIVE
from jobs.texts import packed
from studies.actions.of_study import InStudy
from studies.importing import Source
from studies.models import LargeText, Study

KEPT = timedelta(days=1)
"""What was read stays to be looked at so long; the study's own rows do not hang on it."""


@dataclass
class HandText(InStudy, Action[LargeText]):
    """Queue a text to be read, and taken into the study where ``takes`` says so."""

    study: Study
    source: Source
    takes: bool = False
    remove_gone: bool = False
    name: ClassVar[str] = "demand.hand-text"

    def execute(self) -> LargeText:
        """Return the queued text; what was read more than a day ago is cleared away."""
        # Cleared on the way: what was read a day ago has been looked at.
        LargeText.objects.exclude(job__status__in=ACTIVE).filter(asked_at__lt=timezone.now() - KEPT).delete()
        made = LargeText.objects.create(
            job=new_job("text", f"{self.source.origin or 'a text'} for {self.study.name}", self.actor),
            study=self.study,
            asked_by=self.actor,
            format=self.source.format_name,
            origin=self.source.origin,
            # A text may hold half of a surrogate pair, which is told as a fault when it is read.
            content=packed(self.source.text.encode("utf-8", "surrogatepass")),
            mapped=asdict(self.source.mapped),
            takes=self.takes,
            remove_gone=self.remove_gone,
        )
        start(made.job)
        return made

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return format, origin, size and what for."""
        size = len(self.source.text)
        return {
            "format": self.source.format_name,
            "origin": self.source.origin,
            "characters": size,
            "takes": self.takes,
        }
