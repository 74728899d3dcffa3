"""Sizes for every journey's target, and the fit that they lead to."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from jobs.control import Control
from rombel.availability.options import Candidate
from rombel.availability.unreachable import Unreachable
from rombel.fit import Progress
from rombel.formats import read_solution, write_solution
from rombel.inquiry import KnownFit, SizedFit, World, candidates_of, size_then_fit
from rombel.model.demand import Size
from rombel.model.failure import budget_minutes as minutes
from runs.availability import PackedWorld, packed, unpacked, world_of
from runs.inputs import inputs_of
from runs.models import Question
from runs.queries import latest_inquiry
from runs.questions.asking import QUESTIONS, Asked, Occasion, QuestionKind, month, question
from runs.questions.frontier import FrontierKnown


@dataclass(frozen=True, slots=True)
class KnownPoint:
    """Sizes with the solution's text that they were fitted to."""

    sizes: Mapping[str, Size]
    solution: str


@dataclass(frozen=True, slots=True)
class SizingGiven:
    """What is promised, and the points of a frontier of the same inputs."""

    world: PackedWorld
    known: tuple[KnownPoint, ...] = ()


@dataclass(frozen=True, slots=True)
class ChangedSize:
    """A workload whose size changes: replicas asked for, on top now and before, how it survives now and before, most on a node now."""

    workload: str
    replicas: int
    extra: int
    before: int
    how: str
    how_before: str
    most_per_node: int | None


@dataclass(frozen=True, slots=True)
class SizedJourney:
    """What a journey may be down and, exactly over the sized fit, is; minutes a month."""

    name: str
    allowed: float
    downtime: float | None


@dataclass(frozen=True, slots=True)
class Remedy:
    """A change in words, the least minutes a month that can then be had, and whether that is enough."""

    words: str
    least: float
    suffices: bool


@dataclass(frozen=True, slots=True)
class UnreachableTarget:
    """Why a journey's target is out of reach, and the ways out."""

    journey: str
    least: float
    allowed: float
    reasons: tuple[str, ...]
    remedies: tuple[Remedy, ...]


@dataclass(frozen=True, slots=True)
class SizesToTargets:
    """Sizes that meet the targets and the fit they lead to; money a month.

    ``guessed`` is what they were thought to cost more at the prices of the fit before, ``least`` what any that meet the
    targets cost more at those prices; ``exact``: every choice was tried. ``missed`` names the journeys that miss their target
    over the fit found.
    """

    sizes: Mapping[str, Size]
    changed: tuple[ChangedSize, ...]
    solution: str
    guessed: str
    least: str
    exact: bool
    fits: int
    missed: tuple[str, ...]
    cost: str | None
    cost_before: str
    journeys: tuple[SizedJourney, ...]
    unreachable: tuple[UnreachableTarget, ...]
    reasons: tuple[str, ...]


@question
class Sizing(QuestionKind[SizingGiven, SizesToTargets]):
    """The availability is that of the very fit that is kept."""

    question = Question.SIZING
    given_type, answer_type = SizingGiven, SizesToTargets
    needs_journeys = True

    def gather(self, occasion: Occasion) -> SizingGiven:
        """Return what is promised, and what a frontier of the same inputs knows."""
        variant = occasion.variant
        row = latest_inquiry(variant, Question.FRONTIER)
        known: FrontierKnown | None = None
        # A frontier of other inputs would offer sizes for another demand.
        if row is not None and row.inputs == inputs_of(variant):
            known = QUESTIONS[Question.FRONTIER].answer_of(row)
        points = () if known is None else (KnownPoint(p.sizes, p.solution) for p in known.points.values() if p.solution)
        return SizingGiven(packed(world_of(variant)[0]), tuple(points))

    def answer(
        self, asked: Asked[SizingGiven, SizesToTargets], control: Control, keep: Callable[[SizesToTargets], None]
    ) -> SizesToTargets:
        """Return the sizes."""
        (problem, solution), world = asked.fit, unpacked(asked.given.world)
        # A journey without a target is no reason to size anything.
        world = replace(world, journeys=[journey for journey in world.journeys if journey.target > 0])
        candidates = candidates_of(problem, solution, world)
        control.on_progress(Progress("sizing", 0.05, Decimal(0), Decimal(0)))
        elsewhere = [KnownFit(point.sizes, read_solution(point.solution)) for point in asked.given.known]
        found = size_then_fit(problem, solution, world, candidates, known=elsewhere, observer=control)
        journeys = (
            SizedJourney(
                j.name,
                minutes(j.allowed),
                minutes(found.unavailability[j.name]) if j.name in found.unavailability else None,
            )
            for j in world.journeys
        )
        return SizesToTargets(
            sizes=found.sizes,
            changed=tuple(_changed(found, world, candidates)),
            solution=write_solution(found.solution),
            guessed=month(found.sizing.cost - found.sizing.before),
            least=month(found.sizing.floor - found.sizing.before),
            exact=found.sizing.exact,
            fits=found.fits,
            missed=tuple(found.missed),
            cost=month(found.solution.cost_per_hour) if found.solution.nodes else None,
            cost_before=month(solution.cost_per_hour),
            journeys=tuple(journeys),
            unreachable=tuple(_unreachable(entry) for entry in found.unreachable),
            reasons=tuple(found.solution.reasons[:6]),
        )


def _changed(found: SizedFit, world: World, candidates: Sequence[Candidate]) -> Iterator[ChangedSize]:
    """Yield the workloads that are sized otherwise than they are."""
    rows, known = {row.full_name: row for row in world.rows}, {entry.name: entry for entry in candidates}
    for name, size in sorted(found.sizes.items()):
        row, most, was = rows[name], size.most_per_node, known[name]
        thinner = most is not None and (row.most_per_node is None or most < row.most_per_node)
        if size.extra != row.extra or size.how is not was.at_least or thinner:
            how, before = str(size.how), str(was.at_least)
            yield ChangedSize(name, was.replicas, size.extra, row.extra, how, before, most if thinner else None)


def _unreachable(entry: Unreachable) -> UnreachableTarget:
    remedies = tuple(Remedy(way.words, minutes(way.least), way.suffices) for way in entry.remedies)
    return UnreachableTarget(
        entry.journey, minutes(entry.least), minutes(entry.allowed), tuple(entry.reasons), remedies
    )
