"""Ask a question of a variant in the background."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, ClassVar

from jobs.asking import new_job, start, stop
from jobs.models import Job
from rombel.errors import refuse
from runs.availability import world_of
from runs.inputs import inputs_of
from runs.models import Fit, Inquiry, Question
from runs.queries import WITHOUT_ANSWER, latest_fit, present_digest
from runs.questions import QUESTIONS, CostOfChange, Occasion
from studies.actions.of_study import OfVariant


@dataclass
class Ask(OfVariant[Inquiry]):
    """Queue a question of the variant as it stands now; the same question asked before is stopped."""

    question: Question
    cost_of_change: CostOfChange = field(default_factory=CostOfChange)
    name: ClassVar[str] = "inquiry.ask"

    def execute(self) -> Inquiry:
        """Return the queued inquiry; a variant without a fit that is up to date is refused."""
        kind = QUESTIONS[self.question]
        fit = self._present_fit() if kind.needs_fit else None
        # Taken now: an edit while it waits must not change what is answered.
        given = kind.plain_given(kind.gather(Occasion(self.variant, fit, self.cost_of_change)))
        # One answer to a question at a time; the newer one is what the planner wants.
        stop(Job.objects.filter(inquiry__variant=self.variant, inquiry__question=self.question))
        self.made = Inquiry.objects.create(
            job=new_job(kind.name, f"{self.variant.study.name}, {self.variant.name}", self.actor),
            variant=self.variant,
            fit=fit,
            question=self.question,
            given=given,
            inputs=inputs_of(self.variant),
        )
        start(self.made.job)
        return self.made

    def _present_fit(self) -> Fit:
        fit = latest_fit(self.variant)
        if fit is None or fit.digest != present_digest(self.variant)[0]:
            raise refuse(
                "inquiry.fit", "fit", "There is no fit of the variant as it stands.", "Fit it, then ask again."
            )
        if QUESTIONS[self.question].needs_journeys and not world_of(self.variant)[0].journeys:
            fix = "State a journey with its target and its chain under Targets."
            raise refuse("inquiry.journeys", "journeys", "No journey is stated.", fix)
        # Conflicts are asked of what has no plan, everything else of what has one.
        if (fit.status in WITHOUT_ANSWER) != (self.question == Question.CONFLICT):
            fix = "Ask for prices of a fit that stands, and for conflicts where there is none."
            raise refuse("inquiry.question", "question", f"The last fit is {fit.status}.", fix)
        return fit

    def detail(self) -> dict[str, Any]:
        """Return the inquiry and its question."""
        return {"inquiry": self.made.pk, "question": self.question}
