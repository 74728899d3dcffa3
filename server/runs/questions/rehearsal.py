"""A rehearsal of a variant's fit: demand played through time against its limits, a part for each seed."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from datetime import date
from decimal import Decimal
from typing import Any

from catalogue.queries import interruptions
from jobs.control import Control
from jobs.kinds import Kind, Needless, register
from jobs.models import Job
from measured.adapt import usage_of
from measured.models import UsageSet
from rombel.fit import Progress
from rombel.formats import read_problem, read_solution
from rombel.inquiry import Around, Scenario, rehearsal_of
from rombel.model.demand import Level, parted_name
from rombel.model.fit_problem import FitProblem, OfferKey, Purchase
from rombel.model.fit_solution import FitSolution
from rombel.model.journey import blocks_of
from rombel.model.rehearsal import PoolRange, Rehearsal
from rombel.simulate.rehearsal import RehearsalOutcome, Standing, rehearse, standing_at
from rombel.usage import PlannedEvent
from runs.availability import PackedWorld, packed, unpacked, world_of
from runs.models import Inquiry, Question
from runs.questions.asking import QUESTIONS, Asked, Occasion, QuestionKind, question
from runs.questions.pool_limits import PoolLimits, pool_limits
from studies.actions.change_study import events_of
from studies.scenario import scenario_of

SEEDS = 20
"""Rehearsals of chance that are played of one question, from seed 0 on; every worker there is may play one."""


@dataclass(frozen=True, slots=True)
class StatedRange:
    """Limits of an offer: fewest and most nodes, and how many nodes' room is kept back."""

    offer: OfferKey
    least: int
    most: int
    kept_back: int = 0


@dataclass(frozen=True, slots=True)
class RehearsalGiven:
    """What is promised, what is rehearsed, and the limits that are tried.

    ``stands`` is the text of the solution that stands at the start, empty: the fit's; ``usage_id`` is where the measured demand is kept
    (None: nothing is measured); ``taken_back`` says by interruptible offer how often an hour a node is taken back.
    """

    world: PackedWorld
    scenario: Scenario
    ranges: tuple[StatedRange, ...]
    stands: str
    growth_percent: int
    events: tuple[tuple[str, str, str, float], ...]
    usage_id: int | None
    taken_back: tuple[tuple[OfferKey, float], ...] = ()


@dataclass(frozen=True, slots=True)
class SeedPlayed:
    """What one seed showed: shares of the demand that were late and lost, pod-minutes and seconds that replicas waited, nodes, cost."""

    seed: int
    late_share: float
    lost_share: float
    waited_min: float
    longest_s: int
    started: int
    cost: Decimal


@dataclass(frozen=True, slots=True)
class JourneyPlayed:
    """The share of a journey's demand that was lost: that of the block that lost most."""

    journey: str
    lost_share: float
    block: str


@dataclass(frozen=True, slots=True)
class Rehearsed:
    """What is known so far: the first seed in full, every seed in short, what a command cost more, journeys."""

    outcome: RehearsalOutcome | None = None
    seeds: Mapping[str, SeedPlayed] = field(default_factory=dict)
    burst_cost: Decimal | None = None
    journeys: tuple[JourneyPlayed, ...] = ()


@question
class Rehearsing(QuestionKind[RehearsalGiven, Rehearsed]):
    """Its parts play it; nobody claims it as a whole."""

    question = Question.REHEARSAL
    given_type, answer_type = RehearsalGiven, Rehearsed
    queue = "points"
    parts = ("rehearsed seed", SEEDS)

    def gather(self, occasion: Occasion) -> RehearsalGiven:
        """Return what is rehearsed, which has to be understood before anybody waits for it."""
        given = given_of(occasion, pool_limits(occasion.variant, occasion.the_fit))
        setting(given, read_problem(occasion.the_fit.problem), read_solution(occasion.the_fit.solution))
        return given

    def answer(
        self, asked: Asked[RehearsalGiven, Rehearsed], control: Control, keep: Callable[[Rehearsed], None]
    ) -> Rehearsed:
        """Return what its parts have found."""
        return asked.so_far or Rehearsed()


@dataclass(frozen=True, slots=True)
class SeedGiven:
    """A rehearsal as it was asked, and a seed that is not played yet."""

    asked: Asked[RehearsalGiven, Rehearsed]
    seed: int


@dataclass(frozen=True, slots=True)
class SeedResult:
    """What a seed showed, and what the time would have cost without what was commanded (None: nothing was, or the seed is not the first)."""

    outcome: RehearsalOutcome
    without_bursts: Decimal | None


@register
class RehearsedSeed(Kind[SeedGiven, SeedResult]):
    """One rehearsal of one seed."""

    name = "rehearsed seed"
    queue = "points"
    priority = 4
    defect = "A rehearsal could not be played ({error})."

    def given(self, job: Job) -> SeedGiven:
        """Return the rehearsal and the seed."""
        asked: Asked[RehearsalGiven, Rehearsed] = QUESTIONS[Question.REHEARSAL].asked(job.parent)
        seed = job.part or 0
        if asked.so_far is not None and str(seed) in asked.so_far.seeds:
            raise Needless("")
        return SeedGiven(asked, seed)

    def compute(self, given: SeedGiven, control: Control) -> SeedResult:
        """Return what the seed shows."""
        problem, fitted = given.asked.fit
        solution = stands_at_start(given.asked.given, fitted)
        rehearsal = setting(given.asked.given, problem, solution)

        def on_progress(share: float) -> bool:
            return control.on_progress(Progress(f"seed {given.seed + 1}", share, Decimal(0), Decimal(0)))

        found = rehearse(problem, solution, rehearsal, seed=given.seed, on_progress=on_progress)
        if found.reached_s < rehearsal.lasts_s and given.seed:
            # Half a rehearsal says nothing beside whole ones; of the first it is shown how far it came.
            raise Needless("")
        plain = None
        if rehearsal.bursts and not given.seed and not control.stops:
            plain = rehearse(problem, solution, replace(rehearsal, bursts=()), seed=given.seed).total
        # Compared with the nodes of the fit all the time, whatever stands at the start.
        hours = Decimal(found.reached_s) / 3600
        zones = problem.charge_of({batch.zone for batch in fitted.nodes})
        planned = (fitted.cost_per_hour - zones) * hours
        return SeedResult(replace(found, planned=planned.quantize(found.total)), plain)

    def store(self, job: Job, given: SeedGiven, result: SeedResult) -> str:
        """Put the seed to the others; several workers may come at once, so the row is locked."""
        kind, found = QUESTIONS[Question.REHEARSAL], result.outcome
        row = Inquiry.objects.select_for_update(of=("self",)).get(pk=given.asked.row.pk)
        known: Rehearsed = kind.answer_of(row) or Rehearsed()
        longest = found.longest
        played = SeedPlayed(
            given.seed, found.share("late"), found.share("lost"), found.waited_min, longest.longest_s if longest else 0, found.started, found.total
        )  # fmt: skip
        known = replace(known, seeds={**known.seeds, str(given.seed): played})
        if given.seed == 0:
            plain = result.without_bursts
            known = replace(
                known,
                outcome=rounded(found),
                burst_cost=None if plain is None else found.total - plain,
                journeys=_journeys(given.asked.given, found),
            )
        kind.keep(row, known)
        return ""


def given_of(occasion: Occasion, limits: PoolLimits) -> RehearsalGiven:
    """Return what is rehearsed of a variant as it stands, under these limits.

    Where there is a design of all levels its plan for usual demand stands at the start: limits go with the plan they are of.
    """
    variant, study, design = occasion.variant, occasion.variant.study, limits.design
    return RehearsalGiven(
        packed(world_of(variant)[0]),
        scenario_of(study)[0],
        tuple(StatedRange(key, r.least, r.most, r.kept_back) for key, r in limits.ranges.items()),
        "" if design is None else design.solutions.get(str(Level.USUAL), ""),
        study.growth_percent,
        tuple((e.name, e.first.isoformat(), e.last.isoformat(), e.factor) for e in events_of(study)),
        study.usage_id,
        tuple(interruptions(variant.region)) if variant.region and Purchase.INTERRUPTIBLE in variant.purchases else (),
    )


def stands_at_start(given: RehearsalGiven, fitted: FitSolution) -> FitSolution:
    """Return the solution that stands when a rehearsal begins."""
    return read_solution(given.stands) if given.stands else fitted


def setting(given: RehearsalGiven, problem: FitProblem, solution: FitSolution) -> Rehearsal:
    """Return what is played."""
    events = tuple(
        PlannedEvent(name, date.fromisoformat(first), date.fromisoformat(last), factor)
        for name, first, last, factor in given.events
    )
    measured = {}
    usage = UsageSet.objects.defer("content").filter(pk=given.usage_id).first() if given.usage_id else None
    if usage is not None:
        measured = {name: use.total for (name, resource), use in usage_of(usage).items() if resource == "cpu"}
    ranges = {entry.offer: PoolRange(entry.least, entry.most, entry.kept_back) for entry in given.ranges}
    around = Around(unpacked(given.world), given.growth_percent, events, measured, _taken_back(given, problem))
    return rehearsal_of(around, problem, solution, given.scenario, ranges)


def _taken_back(given: RehearsalGiven, problem: FitProblem) -> dict[OfferKey, float]:
    """Return the rates of what the problem offers: a study may leave out what its price list holds."""
    offered = {entry.key(offer) for entry in problem.instance_types for offer in entry.offers}
    return {key: rate for key, rate in given.taken_back if key in offered}


def moment_of(row: Inquiry, at_s: int) -> Standing:
    """Return what stands at a moment of a rehearsal's first seed: it is played again up to there."""
    asked: Asked[RehearsalGiven, Rehearsed] = QUESTIONS[Question.REHEARSAL].asked(row.job)
    problem, fitted = asked.fit
    solution = stands_at_start(asked.given, fitted)
    return standing_at(problem, solution, setting(asked.given, problem, solution), at_s)


def rounded(found: RehearsalOutcome) -> RehearsalOutcome:
    """Return an outcome whose samples have four digits: more are not seen, and make what is stored four times as large."""
    names = ("asked", "served", "lost", "wished", "serving", "waiting", "cost")
    series: dict[str, Any] = {name: tuple(round(value, 4) for value in getattr(found, name)) for name in names}
    pools = tuple(replace(pool, nodes=tuple(round(value, 3) for value in pool.nodes)) for pool in found.pools)
    return replace(found, pools=pools, **series)


def _journeys(given: RehearsalGiven, found: RehearsalOutcome) -> tuple[JourneyPlayed, ...]:
    """Return what share of every journey's demand was lost."""
    # Rows that are kept together are one workload of the fit; each of them lost what it lost.
    shares = {name: entry.unserved_share for entry in found.workloads for name, _ in parted_name(entry.workload)}
    played = []
    for journey in unpacked(given.world).journeys:
        worst = max(blocks_of(journey.chain), key=lambda name: shares.get(name, 0.0), default="")
        played.append(JourneyPlayed(journey.name, shares.get(worst, 0.0), worst))
    return tuple(played)
