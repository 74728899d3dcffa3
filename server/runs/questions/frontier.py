"""The frontier of cost against availability: a question computed in parts, one point a part."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal

from jobs.control import Control
from jobs.kinds import Kind, Needless, register
from jobs.models import Job
from rombel.availability.frontier import POINTS
from rombel.formats import read_solution, write_solution
from rombel.inquiry import FrontierPoint, frontier_point, undominated_points
from rombel.model.demand import Size
from rombel.model.failure import budget_minutes as minutes
from rombel.model.failure import share_of_minutes as share_of
from rombel.model.quantity import HOURS_PER_MONTH
from runs.availability import PackedWorld, packed, unpacked, world_of
from runs.models import Inquiry, Question
from runs.questions.asking import QUESTIONS, Asked, Occasion, QuestionKind, month, question


@dataclass(frozen=True, slots=True)
class FrontierGiven:
    """What is promised."""

    world: PackedWorld


@dataclass(frozen=True, slots=True)
class PointOfFrontier:
    """A computed fit: cost and floor a month, minutes a month that each journey is down, replicas, sizes, the solution's text.

    ``gives_up`` names the workloads that survive the loss of a zone less strictly than is promised.
    """

    index: int
    cost: str
    floor: str
    downtime: Mapping[str, float]
    replicas: int
    sizes: Mapping[str, Size]
    gives_up: tuple[str, ...]
    solution: str = ""


@dataclass(frozen=True, slots=True)
class FrontierKnown:
    """The points known so far, by their index among the budgets, and the places that have no fit."""

    points: Mapping[str, PointOfFrontier] = field(default_factory=dict)
    unfit: tuple[int, ...] = ()

    def knows(self, index: int) -> bool:
        """Return whether nothing is to be computed there."""
        return str(index) in self.points or index in self.unfit


@question
class Frontier(QuestionKind[FrontierGiven, FrontierKnown]):
    """Its parts compute it; nobody claims it as a whole."""

    question = Question.FRONTIER
    given_type, answer_type = FrontierGiven, FrontierKnown
    needs_journeys = True
    queue = "points"
    parts = ("point", POINTS)

    def gather(self, occasion: Occasion) -> FrontierGiven:
        """Return what is promised."""
        return FrontierGiven(packed(world_of(occasion.variant)[0]))

    def shown(self, answer: FrontierKnown) -> FrontierKnown:
        """Return the frontier without points that another one makes needless; no solution is read for that."""
        # Points found later may make earlier ones needless.
        kept = {point.index for point in undominated_points(_read(point) for point in answer.points.values())}
        return replace(answer, points={index: point for index, point in answer.points.items() if point.index in kept})

    def answer(
        self, asked: Asked[FrontierGiven, FrontierKnown], control: Control, keep: Callable[[FrontierKnown], None]
    ) -> FrontierKnown:
        """Return what its parts have found."""
        return asked.so_far or FrontierKnown()


@dataclass(frozen=True, slots=True)
class PointGiven:
    """A frontier as it was asked, with the points known by now, and the index of one that is not."""

    frontier: Asked[FrontierGiven, FrontierKnown]
    index: int


@register
class Point(Kind[PointGiven, PointOfFrontier | None]):
    """One point, found from those known so far; it gives way to all that planners ask."""

    name = "point"
    queue = "points"
    gives_way = True
    defect = "A point could not be computed ({error})."

    def given(self, job: Job) -> PointGiven:
        """Return the frontier and the index."""
        index = job.part or 0
        asked: Asked[FrontierGiven, FrontierKnown] = QUESTIONS[Question.FRONTIER].asked(job.parent)
        if asked.so_far is not None and asked.so_far.knows(index):
            raise Needless("")
        return PointGiven(asked, index)

    def compute(self, given: PointGiven, control: Control) -> PointOfFrontier | None:
        """Return the point; None: its problem has no fit."""
        asked = given.frontier
        (problem, solution), world = asked.fit, unpacked(asked.given.world)
        # Everything known by now is a start, and perhaps the answer.
        known = () if asked.so_far is None else asked.so_far.points.values()
        points = [
            replace(_read(point), solution=read_solution(point.solution) if point.solution else None) for point in known
        ]
        found = frontier_point(given.index, problem, solution, world, known=points, observer=control)
        if found is None and control.stops:  # What was found half-way is no point, and does not say that there is none.
            raise Needless("")
        return None if found is None else _written(found)

    def store(self, job: Job, given: PointGiven, result: PointOfFrontier | None) -> str:
        """Put the point to the others; several workers may come at once, so the row is locked."""
        kind, index = QUESTIONS[Question.FRONTIER], given.index
        row = Inquiry.objects.select_for_update(of=("self",)).get(pk=given.frontier.row.pk)
        known: FrontierKnown = kind.answer_of(row) or FrontierKnown()
        if result is None:
            known = replace(known, unfit=(*known.unfit, index))
        else:
            known = replace(known, points={**known.points, str(index): result})
        kind.keep(row, known)
        return ""


def _read(stored: PointOfFrontier) -> FrontierPoint:
    return FrontierPoint(
        stored.index,
        Decimal(stored.cost) / HOURS_PER_MONTH,
        Decimal(stored.floor) / HOURS_PER_MONTH,
        {name: share_of(amount) for name, amount in stored.downtime.items()},
        stored.replicas,
        stored.sizes,
        stored.gives_up,
    )


def _written(found: FrontierPoint) -> PointOfFrontier:
    return PointOfFrontier(
        index=found.index,
        cost=month(found.cost_per_hour),
        floor=month(found.floor_per_hour),
        downtime={name: minutes(downtime) for name, downtime in found.unavailability.items()},
        replicas=found.replicas,
        sizes=found.sizes,
        gives_up=found.gives_up,
        solution=write_solution(found.solution) if found.solution else "",
    )
