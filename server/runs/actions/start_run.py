"""Start the fit of a variant in the background."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action
from rombel.formats import write_problem
from runs.inputs import digest_of, inputs_of
from runs.models import Run, RunStatus
from studies.adapt import problem_of
from studies.models import Variant


@dataclass
class StartRun(Action[Run]):
    """Queue a fit of the variant as it stands now; one that still runs for the same variant is asked to stop."""

    variant: Variant
    seed: int = 0
    name: ClassVar[str] = "run.start"

    def execute(self) -> Run:
        """Return the queued run; demand or supply with faults is refused."""
        from runs.tasks import compute

        text = write_problem(problem_of(self.variant))
        active = self.variant.runs.filter(status__in=(RunStatus.QUEUED, RunStatus.RUNNING))
        active.update(stop_requested=True)
        self.variant.inquiries.filter(status__in=(RunStatus.QUEUED, RunStatus.RUNNING)).update(stop_requested=True)
        self.made = Run.objects.create(
            variant=self.variant,
            problem=text,
            digest=digest_of(text),
            inputs=inputs_of(self.variant),
            seed=self.seed,
            created_by=self.actor,
        )
        # A fit goes before the many small jobs that may wait.
        compute.configure(priority=5).defer(run_id=self.made.pk)
        return self.made

    def subject(self) -> str:
        """Return the variant."""
        return f"variant:{self.variant.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the run and its inputs' fingerprint."""
        return {"run": self.made.pk, "digest": self.made.digest, "seed": self.seed}
