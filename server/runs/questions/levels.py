"""One design of pools for all levels of demand, and the autoscaling limits that follow from it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction

from jobs.control import Control
from rombel.formats import read_problem, read_solution, write_problem, write_solution
from rombel.inquiry import PoolLimit, design
from rombel.model.demand import Level
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.levels import hour_shares
from rombel.plan import problems_by_level
from rombel.usage import rise_within
from runs.models import Question
from runs.queries import latest_plan, present_digest
from runs.questions.asking import Asked, Occasion, QuestionKind, month, question
from studies.adapt import sized_rows, supply_of, targets_of
from studies.models import Study, Variant
from studies.usage import study_usage


@dataclass(frozen=True, slots=True)
class Rise:
    """How far the measured use of CPU rises within some seconds, at a percentile of all such spans; as a share of the use."""

    share: float
    percent: float
    within_s: float


@dataclass(frozen=True, slots=True)
class KnownLevel:
    """A level whose fit is known, with the solution's text."""

    level: Level
    solution: str


@dataclass(frozen=True, slots=True)
class LevelsGiven:
    """The problem's text and the share of hours of every level, the measured rise, and the level that is fitted already."""

    problems: Mapping[Level, str]
    shares: Mapping[Level, str]
    rise: Rise | None = None
    present: KnownLevel | None = None


@dataclass(frozen=True, slots=True)
class LevelOfDesign:
    """One level of a design: its share of the month's hours, what a month of nothing else would cost, and its nodes."""

    level: str
    share: float
    cost: str
    nodes: int


@dataclass(frozen=True, slots=True)
class Lead:
    """What must stay free while a node starts, from measured use, and what is free at the trough."""

    share: float
    percent: float
    within_s: float
    kept_millicores: float
    free_millicores: float


@dataclass(frozen=True, slots=True)
class DesignOfLevels:
    """One design of pools for all levels: cost and floor of a month with its hours at each level, and each level's solution."""

    cost: str
    floor: str
    reasons: tuple[str, ...]
    levels: tuple[LevelOfDesign, ...]
    lead: Lead | None
    limits: tuple[PoolLimit, ...]
    solutions: Mapping[str, str] = field(default_factory=dict)


@question
class Levels(QuestionKind[LevelsGiven, DesignOfLevels]):
    """The plans of all levels lie inside one another."""

    question = Question.LEVELS
    given_type, answer_type = LevelsGiven, DesignOfLevels
    needs_fit = False

    def gather(self, occasion: Occasion) -> LevelsGiven:
        """Return every level's problem, and what is known of them."""
        variant, study = occasion.variant, occasion.variant.study
        problems = problems_by_level(supply_of(variant), targets_of(variant), sized_rows(variant))
        return LevelsGiven(
            {level: write_problem(problem) for level, problem in problems.items()},
            {level: str(share) for level, share in hour_shares(study.level_shares).items()},
            _rise(study),
            _known_level(variant),
        )

    def answer(
        self, asked: Asked[LevelsGiven, DesignOfLevels], control: Control, keep: Callable[[DesignOfLevels], None]
    ) -> DesignOfLevels:
        """Return the design."""
        given = asked.given
        problems = {level: read_problem(given.problems[level]) for level in Level}
        shares = {level: Fraction(given.shares[level]) for level in Level}
        present = (given.present.level, read_solution(given.present.solution)) if given.present else None
        found = design(problems, shares, present=present, observer=control)
        levels = (
            LevelOfDesign(
                str(level),
                float(shares[level]),
                month(solution.cost_per_hour),
                sum(batch.count for batch in solution.nodes),
            )
            for level, solution in found.fits.items()
        )
        return DesignOfLevels(
            cost=month(found.cost_per_hour),
            floor=month(found.floor_per_hour),
            reasons=tuple(found.reasons),
            levels=tuple(levels),
            lead=_lead(given.rise, problems, found.fits),
            limits=tuple(found.limits),
            solutions={str(level): write_solution(solution) for level, solution in found.fits.items()},
        )


def _rise(study: Study) -> Rise | None:
    """Return how far the measured use of CPU rises while a node starts; None where it was not measured."""
    series = {name: use["cpu"].total for name, use in study_usage(study).items() if "cpu" in use}
    found = rise_within(series)
    return None if found is None else Rise(found.share, found.percent, found.within_s)


def _known_level(variant: Variant) -> KnownLevel | None:
    """Return the level that is fitted, with the answer that stands for it; None where there is none."""
    fit = latest_plan(variant)
    if fit is None or fit.digest != present_digest(variant)[0]:
        return None
    return KnownLevel(targets_of(variant).level, fit.solution)


def _lead(rise: Rise | None, problems: Mapping[Level, FitProblem], fits: Mapping[Level, FitSolution]) -> Lead | None:
    """Return the CPU to keep free while a node starts, beside what is free at the trough; None where nothing was measured."""
    if rise is None or not fits:
        return None
    # Rise of the use, taken as the same share of the requests at peak.
    kept = rise.share * sum(w.replicas * w.request[0] for w in problems[Level.PEAK].workloads)
    free = _free_cpu(problems[Level.TROUGH], fits[Level.TROUGH])
    return Lead(rise.share, rise.percent, rise.within_s, kept, free)


def _free_cpu(problem: FitProblem, solution: FitSolution) -> float:
    """Return the millicores that no replica requests, nor any that would land after the worst loss of a zone."""
    usable = {entry.name: problem.usable(entry)[0] for entry in problem.instance_types}
    request = {entry.name: entry.request[0] for entry in problem.workloads}
    free: dict[str, float] = dict.fromkeys(problem.zones, 0.0)
    for batch in solution.nodes:
        held = sum(request[name] * number for name, number in batch.replicas.items())
        free[batch.zone] += batch.count * (usable[batch.instance_type] - held)
    whole = sum(free.values())
    # After the worst loss: what lands there is no longer free.
    landing = {
        zone: sum(request[name] * number for entry in part for name, number in entry.replicas.items())
        for zone, part in (solution.landing or {}).items()
    }
    return min((whole - free[zone] - landed for zone, landed in landing.items()), default=whole)
