"""What stored answers say: the fit of one level of a design, and the fits that sizes were evaluated over."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import asdict, replace
from decimal import Decimal
from typing import Any

from django.db.models import F, Func, JSONField, Value

from accounts.action import Missing
from rombel import __version__
from rombel.formats import read_solution
from rombel.model.demand import Level
from rombel.model.drill import Mark
from rombel.model.fit_solution import FitSolution
from runs.models import Fit, Inquiry, Question, StatedProblem
from runs.queries import latest_inquiry
from runs.questions import QUESTIONS
from runs.questions.drills import PlayedDrills
from runs.questions.frontier import FrontierKnown, PointOfFrontier
from runs.questions.levels import DesignOfLevels, LevelsGiven
from runs.questions.sizing import SizesToTargets
from studies.adapt import sizes_of
from studies.models import Variant


def design_of(inquiry: Inquiry) -> DesignOfLevels | None:
    """Return the design that an inquiry answers with; None: it was another question, or is not answered."""
    if inquiry.question != Question.LEVELS:
        return None
    found: DesignOfLevels | None = QUESTIONS[Question.LEVELS].answer_of(inquiry)
    return found


def played_drills(fit: Fit) -> list[tuple[str, Mark]] | None:
    """Return which drills were played on a plan and what each showed; None: they were not, or not to the end."""
    # What happened in each of them is megabytes, of which names and marks alone are read.
    found = (
        fit.inquiries.filter(question=Question.DRILLS, job__status="done")
        .order_by("-pk")
        .values_list(
            "answer__whole", _path("$.results[*].drill.name"), _path("$.results[*].mark"), _path("$.unplayable[*].name")
        )
        .first()
    )
    if found is None or found[0] is None or len(found[2]) + len(found[3]) < found[0]:
        return None
    return [(name, Mark(mark)) for name, mark in zip(found[1], found[2], strict=True)]


def _path(path: str) -> Func:
    """Return all that a path leads to in an answer, read in the database."""
    return Func(
        F("answer"),
        Value(path),
        function="jsonb_path_query_array",
        template="%(function)s(%(expressions)s::jsonpath)",
        output_field=JSONField(),
    )


def level_fit(inquiry: Inquiry, level: str) -> Fit:
    """Return one level's fit of a design, not stored on its own; ``Missing`` where the design has none."""
    found = design_of(inquiry)
    text = None if found is None else found.solutions.get(level)
    if text is None:
        raise Missing(f"Inquiry {inquiry.pk} has no fit at {level}.")
    given: LevelsGiven = QUESTIONS[Question.LEVELS].given_of(inquiry)
    solution = read_solution(text)
    # A fit that exists only as part of a design, shaped like any other so that it is shown likewise.
    return Fit(
        pk=0,
        variant=inquiry.variant,
        stated=StatedProblem(text=given.problems[Level(level)]),
        solution=text,
        status=str(solution.status),
        cost_per_hour=solution.cost_per_hour,
        floor_per_hour=solution.floor_per_hour,
        core_version=__version__,
        seed=0,
        seconds=0.0,
        created_at=inquiry.ended_at,
    )


def answers_for_sizes(variant: Variant) -> Iterator[FitSolution]:
    """Yield the answers over which the variant's sizes were found to meet its targets; their floors are of another problem's text."""
    wanted = sizes_of(variant.sizes)
    sized: SizesToTargets | None = _latest(variant, Question.SIZING)
    frontier: FrontierKnown | None = _latest(variant, Question.FRONTIER)
    found: list[SizesToTargets | PointOfFrontier] = [] if sized is None else [sized]
    # Their floors belong to problems with other sizes, and are dropped.
    for known in (*found, *(() if frontier is None else frontier.points.values())):
        if known.solution and known.sizes == wanted:
            yield replace(read_solution(known.solution), floor_per_hour=Decimal(0), certificate=None)


def _latest(variant: Variant, question: Question) -> Any:
    """Return the newest answer to a question; None where there is none."""
    row = latest_inquiry(variant, question)
    return None if row is None else QUESTIONS[question].answer_of(row)


def drill_played(inquiry: Inquiry, number: int) -> dict[str, Any]:
    """Return everything that happened in one drill of a book that was played, from what stood at its start."""
    found: PlayedDrills | None = (
        QUESTIONS[Question.DRILLS].answer_of(inquiry) if inquiry.question == Question.DRILLS else None
    )
    if found is None or inquiry.fit is None or not 0 <= number < len(found.results):
        raise Missing(f"There is no drill {number} in inquiry {inquiry.pk}.")
    standing: list[dict[str, Any]] = []
    first = 0
    for batch in read_solution(inquiry.fit.solution).nodes:
        for node in range(first, first + batch.count):
            standing += [
                {"node": node, "workload": name, "bound": count, "serving": count}
                for name, count in batch.replicas.items()
                if "/" in name  # The others only keep room free.
            ]
        first += batch.count
    result = found.results[number]
    events = [
        asdict(event) | {"nodes": [{"node": node, "state": state} for node, state in event.nodes]}
        for event in result.events
    ]
    return {"nodes": [asdict(node) for node in result.nodes], "standing": standing, "events": events}
