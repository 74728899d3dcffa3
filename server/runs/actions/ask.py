"""Ask a question of a variant in the background."""

from __future__ import annotations

from dataclasses import dataclass, field
from decimal import Decimal
from typing import Any, ClassVar

from measured.adapt import running_of
from measured.models import Listing
from rombel.availability.frontier import POINTS
from rombel.errors import refuse
from rombel.formats import write_problem
from rombel.model.levels import hour_shares
from rombel.model.study import Targets
from rombel.plan import compile_problem, problem_around, problems_by_level
from rombel.usage import rise_within
from runs.availability import packed, world_of
from runs.beyond import other_regions
from runs.inputs import inputs_of
from runs.models import Fit, Inquiry, Question, RunStatus
from runs.queries import WITHOUT_ANSWER, latest_fit, latest_inquiry, present_digest
from studies.actions.of_study import OfVariant
from studies.adapt import sized_rows, supply_of, targets_of
from studies.models import Study
from studies.usage import study_usage

OF_THE_STUDY = (Question.LEVELS, Question.STEPS)
"""Questions that need no fit."""

PROMISED = (Question.SIZING, Question.FRONTIER, Question.REGIONS, Question.SIMULATION)
"""Questions about journeys."""


@dataclass(frozen=True)
class Toll:
    """What a step must save a month for each replica that it moves, and for each node that it brings."""

    per_move: Decimal = Decimal(2)
    per_node: Decimal = Decimal(20)


@dataclass
class Ask(OfVariant[Inquiry]):
    """Queue a question of the variant as it stands now; the same question asked before is stopped."""

    question: Question
    toll: Toll = field(default_factory=Toll)
    name: ClassVar[str] = "inquiry.ask"

    def execute(self) -> Inquiry:
        """Return the queued inquiry; a variant without a fit that is up to date is refused."""
        from runs.tasks import queue_inquiry, queue_point

        fit = None if self.question in OF_THE_STUDY else self._present_fit()
        active = self.variant.inquiries.filter(question=self.question, status__in=(RunStatus.QUEUED, RunStatus.RUNNING))
        active.update(stop_requested=True)
        self.made = Inquiry.objects.create(
            variant=self.variant,
            fit=fit,
            question=self.question,
            given=self._given(fit),
            inputs=inputs_of(self.variant),
            created_by=self.actor,
        )
        if self.question == Question.FRONTIER:
            self.made.answer = {"points": {}, "unfit": []}
            self.made.status = RunStatus.RUNNING
            self.made.save()
            for place in range(POINTS):
                queue_point(self.made.pk, place)
            return self.made
        queue_inquiry(self.made.pk, priority=0 if self.question in (Question.PROMISES, Question.CONFLICT) else 1)
        return self.made

    def _present_fit(self) -> Fit:
        fit = latest_fit(self.variant)
        if fit is None or fit.digest != present_digest(self.variant)[0]:
            raise refuse(
                "inquiry.fit", "fit", "There is no fit of the variant as it stands.", "Fit it, then ask again."
            )
        if self.question in PROMISED and not world_of(self.variant)[0].journeys:
            mend = "State a journey with its target and its chain under Targets."
            raise refuse("inquiry.journeys", "journeys", "No journey is stated.", mend)
        if (fit.status in WITHOUT_ANSWER) != (self.question == Question.CONFLICT):
            mend = "Ask for prices of a fit that stands, and for conflicts where there is none."
            raise refuse("inquiry.question", "question", f"The last fit is {fit.status}.", mend)
        return fit

    def _listing(self) -> Listing:
        listing = self.variant.study.running
        if listing is None:
            mend = "Import the listing of a running cluster, with its nodes, under Demand."
            raise refuse("inquiry.running", "running", "No running cluster is known.", mend)
        return listing

    def _given(self, fit: Fit | None) -> dict[str, Any]:
        """Return the texts that the worker computes from, taken now, as later edits must not change the question."""
        supply, targets = supply_of(self.variant), targets_of(self.variant)
        rows, study = sized_rows(self.variant), self.variant.study
        if self.question == Question.STEPS:
            listing = self._listing()
            problem = problem_around(supply, targets, rows, running_of(listing))
            toll = {"per_move": str(self.toll.per_move), "per_node": str(self.toll.per_node)}
            return {"problem": write_problem(problem), "listing": listing.pk, "toll": toll}
        if fit is None:
            problems = problems_by_level(supply, targets, rows)
            shares = {str(level): str(share) for level, share in hour_shares(study.level_shares).items()}
            return {
                "problems": {str(level): write_problem(problem) for level, problem in problems.items()},
                "shares": shares,
                "rise": _rise(study),
                "present": self._known_level(targets),
            }
        given: dict[str, Any] = {}
        if self.question in PROMISED:
            given["world"] = packed(world_of(self.variant)[0])
        if self.question == Question.SIZING:
            given["known"] = self._known_points()
        if self.question == Question.REGIONS:
            given |= {
                "own": self.variant.region.name if self.variant.region else "",
                "regions": other_regions(self.variant, rows),
                "times": self.variant.beyond,
            }
        if self.question == Question.PROMISES:
            given["all_types"] = write_problem(compile_problem(supply, targets, rows))
        return given

    def _known_points(self) -> list[dict[str, Any]]:
        """Return the points of the frontier of the same inputs: sizes with the answer that they were fitted to."""
        row = latest_inquiry(self.variant, Question.FRONTIER)
        if row is None or row.inputs != inputs_of(self.variant):
            return []
        return [{name: point[name] for name in ("sizes", "solution")} for point in row.answer["points"].values()]

    def _known_level(self, targets: Targets) -> dict[str, str] | None:
        """Return the level that is fitted, with the answer that stands for it; None where there is none."""
        fit = latest_fit(self.variant)
        if fit is None or fit.status in WITHOUT_ANSWER or fit.digest != present_digest(self.variant)[0]:
            return None
        return {"level": str(targets.level), "solution": fit.solution}

    def detail(self) -> dict[str, Any]:
        """Return the inquiry and its question."""
        return {"inquiry": self.made.pk, "question": self.question}


def _rise(study: Study) -> dict[str, float] | None:
    """Return how far the measured use of CPU rises while a node starts; None where it was not measured."""
    series = {name: use["cpu"].total for name, use in study_usage(study).items() if "cpu" in use}
    found = rise_within(series)
    return None if found is None else {"share": found.share, "percent": found.percent, "within_s": found.within_s}
