"""Start the fit of a variant in the background."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from jobs.asking import new_job, start, stop
from jobs.models import ACTIVE, Job
from rombel.formats import read_problem, write_problem
from runs.inputs import digest_of, inputs_of
from runs.models import Run, StatedProblem
from studies.actions.of_study import OfVariant
from studies.adapt import problem_of


@dataclass
class StartRun(OfVariant[Run]):
    """Queue a fit of the variant as it stands now, or join the one of the same inputs that is under way; others are asked to stop."""

    seed: int = 0
    joined: bool = False
    name: ClassVar[str] = "run.start"

    def execute(self) -> Run:
        """Return the queued run; demand or supply with faults is refused."""
        text = write_problem(problem_of(self.variant))
        read_problem(text)  # What the worker would refuse is refused here, where somebody sees it.
        digest, active = digest_of(text), self.variant.runs.filter(job__status__in=ACTIVE)
        # Two planners who press fit get one computation.
        same = active.filter(digest=digest, seed=self.seed, job__stop_requested=False).last()
        if same is not None and same.pk == self.variant.runs.values_list("pk", flat=True).last():
            self.made, self.joined = same, True
            return same
        # Others of the variant compute what nobody waits for any more.
        stop(Job.objects.filter(run__variant=self.variant))
        words = "A change to the study stopped this; what is known is from before it."
        stop(Job.objects.filter(inquiry__variant=self.variant), words)
        self.made = Run.objects.create(
            job=new_job("fit", f"{self.variant.study.name}, {self.variant.name}", self.actor),
            variant=self.variant,
            stated=StatedProblem.of(text),
            digest=digest,
            inputs=inputs_of(self.variant),
            seed=self.seed,
        )
        start(self.made.job)
        return self.made

    def changed_anything(self) -> bool:
        """Return whether a run was made, and none was joined."""
        return not self.joined

    def detail(self) -> dict[str, Any]:
        """Return the run and its inputs' fingerprint."""
        return {"run": self.made.pk, "digest": self.made.digest, "seed": self.seed}
