"""Hand a text of measurements to a worker."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from accounts.action import Action
from jobs.asking import new_job, start
from jobs.texts import packed
from measured.background import READERS
from measured.models import UsageSet
from rombel.errors import InputRefused, refuse
from rombel.formats import usage_size_fault
from studies.actions.of_study import InStudy
from studies.adapt import demand_rows
from studies.models import Study
from studies.usage import usual_replicas


@dataclass
class ReadUsage(InStudy, Action[UsageSet]):
    """Queue a text of measurements for a worker to read; the study does not use its series before they are taken."""

    study: Study
    format_name: str
    content: bytes
    origin: str = ""
    name: ClassVar[str] = "usage.read"

    def execute(self) -> UsageSet:
        """Return the queued set; a text that is too large or of no known form is refused."""
        fault = usage_size_fault(len(self.content))
        if fault:
            raise InputRefused([fault])
        if self.format_name not in READERS:
            raise refuse("usage.format", "format", "This is not read.", f"Use one of {', '.join(READERS)}.")
        usage = UsageSet.objects.create(
            job=new_job("usage", f"{self.origin or 'measurements'} for {self.study.name}", self.actor),
            study_id=self.study.pk,
            origin=self.origin[:200],
            format=self.format_name,
            content=packed(self.content),
            replicas={row.full_name: usual_replicas(row, self.study) for row in demand_rows(self.study)},
            read_by=self.actor,
        )
        start(usage.job)
        return usage

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, object]:
        """Return format and origin."""
        return {"format": self.format_name, "origin": self.origin, "bytes": len(self.content)}
