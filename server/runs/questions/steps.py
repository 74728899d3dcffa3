"""From what runs towards a plan, step by step."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal

from jobs.control import Control
from jobs.kinds import Needless
from measured.adapt import running_of
from measured.models import Listing
from rombel.errors import refuse
from rombel.fit import ChangeParams, Evenness
from rombel.formats import read_problem, write_problem
from rombel.inquiry import Move, Step, migration_plan
from rombel.model.existing import ExistingNode, existing_in
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.plan import problem_around
from runs.models import Question
from runs.questions.asking import Asked, Occasion, QuestionKind, month, question
from studies.adapt import sized_rows, supply_of, targets_of


@dataclass(frozen=True, slots=True)
class StepsGiven:
    """The problem's text with every type that runs, the listing's key, and what a step must save a month, as texts."""

    problem: str
    listing: int
    cost_of_change: Mapping[str, str]


@dataclass(frozen=True, slots=True)
class PlannedStep:
    """One step: what it saves a month, what all nodes cost afterwards, what it does, and which rules are broken then."""

    saving: str
    cost: str
    new: tuple[ExistingNode, ...]
    gone: tuple[ExistingNode, ...]
    moves: tuple[Move, ...]
    moved: int
    broken: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class StepsFromToday:
    """The way from what runs: its cost a month and broken rules, the steps so far, and what evens nodes out at last."""

    cost_of_change: Mapping[str, str]
    steps: tuple[PlannedStep, ...] = ()
    cost: str | None = None
    broken: tuple[str, ...] = ()
    unsold: tuple[str, ...] = ()
    unplaced: Mapping[str, int] = field(default_factory=dict)
    evening: PlannedStep | None = None
    evenness: tuple[Evenness, ...] = ()


@question
class Steps(QuestionKind[StepsGiven, StepsFromToday]):
    """Every step saves more than it costs."""

    question = Question.STEPS
    given_type, answer_type = StepsGiven, StepsFromToday
    needs_fit = False

    def gather(self, occasion: Occasion) -> StepsGiven:
        """Return the problem around what runs; a study without a listing is refused."""
        variant, listing = occasion.variant, occasion.variant.study.running
        if listing is None:
            fix = "Import the listing of a running cluster, with its nodes, under Demand."
            raise refuse("inquiry.running", "running", "No running cluster is known.", fix)
        problem = problem_around(supply_of(variant), targets_of(variant), sized_rows(variant), running_of(listing))
        cost_of_change = {
            "per_move": str(occasion.cost_of_change.per_move),
            "per_node": str(occasion.cost_of_change.per_node),
        }
        return StepsGiven(write_problem(problem), listing.pk, cost_of_change)

    def answer(
        self, asked: Asked[StepsGiven, StepsFromToday], control: Control, keep: Callable[[StepsFromToday], None]
    ) -> StepsFromToday:
        """Return the steps."""
        given, known = asked.given, StepsFromToday(asked.given.cost_of_change)
        # The listing as it was when the question was asked; a newer one makes the answer out of date.
        problem, listing = read_problem(given.problem), Listing.objects.filter(pk=given.listing).first()
        if listing is None:
            raise Needless("The listing is gone.")
        per_move, per_node = (
            Decimal(given.cost_of_change[name]) / HOURS_PER_MONTH for name in ("per_move", "per_node")
        )

        def on_step(step: Step) -> None:
            nonlocal known
            known = replace(known, steps=(*known.steps, _step(step)))
            keep(known)

        present = existing_in(problem, running_of(listing))
        params = ChangeParams(per_move, per_node)
        found = migration_plan(problem, present, params=params, observer=control, on_step=on_step)
        return replace(
            known,
            cost=month(found.cost_per_hour),
            broken=tuple(found.broken),
            unsold=tuple(found.unsold),
            unplaced=found.unplaced,
            evening=_step(found.evening) if found.evening else None,
            evenness=tuple(found.evenness or ()),
        )


def _step(step: Step) -> PlannedStep:
    saving, cost = month(step.saving_per_hour), month(step.cost_per_hour)
    return PlannedStep(saving, cost, step.new, step.gone, step.moves, step.moved, step.broken)
