"""Limits that hold: the cheapest found under which a promise of a rehearsal is kept, in most of many rehearsals."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from decimal import Decimal

from jobs.control import Control
from rombel.fit import Progress
from rombel.simulate.rehearsal import Planned, Promise, Sufficing, ceilings_of, limits_that_hold
from runs.models import Question
from runs.questions.asking import Asked, Occasion, QuestionKind, question
from runs.questions.pool_limits import pool_limits
from runs.questions.rehearsal import RehearsalGiven, StatedRange, given_of, setting, stands_at_start
from studies.scenario import scenario_of

RUNS = 20


@dataclass(frozen=True, slots=True)
class PlannedRange:
    """What the design of all levels asks for: fewest nodes at the trough, most in the grown peak, and why so many."""

    range: StatedRange
    most_because: str


@dataclass(frozen=True, slots=True)
class LimitsGiven:
    """The rehearsal, what is promised of it, and what the plan asks for whatever it shows."""

    rehearsal: RehearsalGiven
    most_late_percent: float
    planned: tuple[PlannedRange, ...]


@question
class Limits(QuestionKind[LimitsGiven, Sufficing]):
    """Hundreds of rehearsals, so that it has a worker of its own for a while."""

    question = Question.LIMITS
    given_type, answer_type = LimitsGiven, Sufficing

    def gather(self, occasion: Occasion) -> LimitsGiven:
        """Return the rehearsal and what limits have to keep."""
        limits = pool_limits(occasion.variant, occasion.the_fit)
        planned = () if limits.design is None else limits.design.limits
        return LimitsGiven(
            given_of(occasion, limits),
            scenario_of(occasion.variant.study)[1],
            tuple(
                PlannedRange(StatedRange((e.instance_type, e.purchase, e.zone), e.least, e.most), e.most_because)
                for e in planned
            ),
        )

    def answer(
        self, asked: Asked[LimitsGiven, Sufficing], control: Control, keep: Callable[[Sufficing], None]
    ) -> Sufficing:
        """Return the limits."""
        (problem, fitted), given = asked.fit, asked.given
        solution = stands_at_start(given.rehearsal, fitted)
        rehearsal = setting(given.rehearsal, problem, solution)
        planned = {e.range.offer: Planned(e.range.least, e.range.most, e.most_because) for e in given.planned}
        most = {key: pool.most for key, pool in rehearsal.ranges.items()} | {
            key: entry.most for key, entry in planned.items()
        }

        def on_progress(phase: str, share: float) -> bool:
            return control.on_progress(Progress(phase, share, Decimal(0), Decimal(0)))

        found = limits_that_hold(
            problem,
            solution,
            rehearsal,
            Promise(given.most_late_percent),
            planned,
            dict(ceilings_of(problem, most)),
            runs=RUNS,
            on_progress=on_progress,
        )
        return replace(found, trials=found.trials[:40])
