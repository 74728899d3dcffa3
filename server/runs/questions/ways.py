"""More nodes, larger nodes, or more CPU: what each way costs for the demand as it is measured."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from jobs.control import Control
from rombel.formats import read_problem, write_problem
from rombel.inquiry import Way, ways
from rombel.inquiry import WayPlan as FoundWay
from rombel.model.compilation import compile_problem
from rombel.usage import SizingPolicy
from runs.models import Question
from runs.questions.asking import Asked, Occasion, QuestionKind, month, question
from studies.adapt import sized_rows, supply_of, targets_of
from studies.usage import proposals, study_usage


@dataclass(frozen=True, slots=True)
class WaysGiven:
    """The problem with every type that is sold and requests as they are measured, and how many workloads were."""

    problem: str
    measured: int


@dataclass(frozen=True, slots=True)
class WayFound:
    """A way: the types that it uses, cost and floor a month (None: no plan was found, ``why`` says why), and its nodes."""

    way: Way
    types: tuple[str, ...]
    cost: str | None
    floor: str | None
    nodes: int
    why: str


@dataclass(frozen=True, slots=True)
class WaysFound:
    """The ways so far, how many workloads stand with measured requests, and the types that the plan uses."""

    measured: int
    ways: tuple[WayFound, ...] = ()
    used: tuple[str, ...] = ()


@question
class Ways(QuestionKind[WaysGiven, WaysFound]):
    """Every way is really fitted."""

    question = Question.WAYS
    given_type, answer_type = WaysGiven, WaysFound

    def gather(self, occasion: Occasion) -> WaysGiven:
        """Return the problem."""
        variant = occasion.variant
        rows = sized_rows(variant)
        used = {
            own.row.full_name: own.proposal.request
            for own in proposals(study_usage(variant.study), SizingPolicy(), rows)
        }
        rows = [replace(row, request=used.get(row.full_name, row.request)) for row in rows]
        problem = compile_problem(supply_of(variant), targets_of(variant), rows)
        return WaysGiven(write_problem(problem), len(used))

    def answer(
        self, asked: Asked[WaysGiven, WaysFound], control: Control, keep: Callable[[WaysFound], None]
    ) -> WaysFound:
        """Return the ways."""
        used = tuple(sorted({batch.instance_type for batch in asked.fit[1].nodes}))
        found = asked.so_far or WaysFound(asked.given.measured, used=used)

        def on_way(own: FoundWay) -> None:
            nonlocal found
            cost, floor = (None if each is None else month(each) for each in (own.cost_per_hour, own.floor_per_hour))
            found = replace(found, ways=(*found.ways, WayFound(own.way, own.types, cost, floor, own.nodes, own.why)))
            keep(found)

        known = [own.way for own in found.ways]
        ways(read_problem(asked.given.problem), asked.fit[1], known=known, observer=control, on_way=on_way)
        return found
