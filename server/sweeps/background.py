"""Computing a sweep: its points in parts, each stored as soon as it is known, and none computed that was answered before."""

from __future__ import annotations

import logging
import math
import time
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import partial

from jobs.control import Control
from jobs.kinds import Kind, Needless, register
from jobs.models import Job
from rombel import __version__
from rombel.errors import CheckFailed, InputRefused
from rombel.fit import FitParams, Progress, SearchParams, fit, refit
from rombel.formats import read_problem, write_problem
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, FitStatus, counted
from rombel.plan import problem_at
from rombel.sweep import Point, SweepPlan
from runs.inputs import digest_of
from runs.models import Fit
from runs.stored import stored_solution
from sweeps.adapt import base_key, base_numbered, plan_of
from sweeps.models import Sweep, SweepBase, SweepPoint

log = logging.getLogger("rombel.sweeps")

PARAMS = FitParams(search=SearchParams(work=12_000_000))
"""Of each fit: nearly all start from an answer nearby."""
KIND = "sweep"
_MOST_IN_PART, _PARTS = 10, 100
ENDED = (FitStatus.OPTIMAL, FitStatus.FEASIBLE, FitStatus.INFEASIBLE)
"""Statuses of answers that are as good for the same problem again."""


def part_size(plan: SweepPlan) -> int:
    """Return how many points a part has: few, so that many workers end together, and so many that the queue costs little."""
    return max(1, min(_MOST_IN_PART, plan.size // _PARTS))


def numbers_of(plan: SweepPlan, part: int) -> range:
    """Return the numbers of a part's points."""
    size = part_size(plan)
    return range(part * size, min(plan.size, (part + 1) * size))


def far_apart(parts: Sequence[int]) -> list[int]:
    """Return parts in an order in which neighbours are not computed at once: a small change often is the very same problem."""
    step = max(1, math.isqrt(len(parts)))
    return [part for first in range(step) for part in parts[first::step]]


@dataclass(frozen=True, slots=True)
class PartGiven:
    """A sweep and the numbers of the points that are to be computed."""

    sweep: Sweep
    plan: SweepPlan
    numbers: tuple[int, ...]


@register
class SweepPart(Kind[PartGiven, None]):
    """A few points after each other, each from the answer of the one before; the sweep itself is a job of this kind that its parts compute."""

    name = KIND
    queue = "points"
    # Below the points of a frontier, which somebody looks at.
    priority = -1
    gives_way = True
    defect = "Some points could not be computed ({error}); those that are known are kept."

    def given(self, job: Job) -> PartGiven:
        """Return the points of the part that are not known yet."""
        sweep = Sweep.objects.filter(job=job.parent).first()
        if sweep is None:
            raise Needless("The sweep is gone.")
        plan = plan_of(sweep.plan)
        own = numbers_of(plan, job.part or 0)
        known = set(sweep.points.filter(number__in=own).values_list("number", flat=True))
        return PartGiven(sweep, plan, tuple(number for number in own if number not in known))

    def compute(self, given: PartGiven, control: Control) -> None:
        """Store every point as it becomes known; stopped, the one under way is given up."""
        before: tuple[int, FitSolution] | None = None
        bases = {(base.variant_name, base.region): base for base in given.sweep.bases.defer("given")}
        for done, number in enumerate(given.numbers):
            control.on_progress(_progress(done, len(given.numbers)))
            point = given.plan.point(number)
            base = bases[base_key(point)]
            start = before[1] if before is not None and before[0] == base.pk else None
            found = None if control.stops else _answer(given.sweep, point, base, start, control)
            if found is None:
                return
            row, solution = found
            row.sweep, row.number = given.sweep, number
            # A part that two workers hold for a moment: the first answer stays.
            control.keep(partial(SweepPoint.objects.bulk_create, [row], ignore_conflicts=True))
            before = before if solution is None else (base.pk, solution)

    def store(self, job: Job, given: PartGiven, result: None) -> str:
        """Store nothing more: every point is stored already."""
        return ""


def _progress(done: int, of: int) -> Progress:
    return Progress(f"{done} of {of}", done / of, Decimal(0), Decimal(0))


def _answer(
    sweep: Sweep, point: Point, base: SweepBase, start: FitSolution | None, control: Control
) -> tuple[SweepPoint, FitSolution | None] | None:
    """Return a point's answer, and its plan where it was computed here; None: it was stopped half-way."""
    began, given = time.monotonic(), base_numbered(base.pk)
    if given is None:
        return _unanswered("refused", base.refused), None
    try:
        text = write_problem(problem_at(given.supply, given.targets, given.rows, point))
        problem = read_problem(text)
    except InputRefused as refused:
        return _unanswered("refused", refused.faults[0].reason), None
    digest = digest_of(text)
    row = _known(sweep, digest)
    if row is not None:
        return row, None
    try:
        solution = _fitted(problem, start, base, control)
    except CheckFailed:  # A defect of ours, which the other points do without.
        log.exception("an answer of a sweep breaks a rule")
        reason = "The answer found breaks a rule, and was not taken; that is a defect of ours."
        return _unanswered("failed", reason, digest), None
    if solution.status is FitStatus.STOPPED or control.stops:
        return None
    return _row(digest, solution, time.monotonic() - began), solution


def _fitted(problem: FitProblem, start: FitSolution | None, base: SweepBase, control: Control) -> FitSolution:
    """Return the fit of a problem, from the answer nearby that leads to the cheapest one."""
    if start is None and base.fit is not None:
        start = stored_solution(base.fit)
    near = None if start is None else refit(problem, start)
    return fit(problem, params=PARAMS, observer=control, before=near or start)


def _known(sweep: Sweep, digest: str) -> SweepPoint | None:
    """Return the answer to the very same problem that the study has already."""
    same = SweepPoint.objects.filter(sweep__study=sweep.study_id, digest=digest, status__in=ENDED)
    point = same.filter(core_version=__version__).order_by("cost_per_hour", "pk").first()
    if point is not None:
        kept = ("digest", "status", "cost_per_hour", "floor_per_hour", "nodes", "reason", "core_version")
        return SweepPoint(known=True, **{name: getattr(point, name) for name in kept})
    fits = Fit.objects.filter(variant__study=sweep.study_id, digest=digest, status__in=ENDED, core_version=__version__)
    # A quick answer is on its way to a better one.
    whole = fits.exclude(status=FitStatus.FEASIBLE, proved_per_hour=None)
    answer = whole.order_by("cost_per_hour", "pk").first()
    if answer is None:
        return None
    row = _row(digest, stored_solution(answer), 0.0)
    row.known = True
    return row


def _unanswered(status: str, reason: str, digest: str = "") -> SweepPoint:
    return SweepPoint(digest=digest, status=status, reason=reason, core_version=__version__)


def _row(digest: str, solution: FitSolution, seconds: float) -> SweepPoint:
    return SweepPoint(
        digest=digest,
        status=str(solution.status),
        cost_per_hour=solution.cost_per_hour,
        floor_per_hour=solution.floor_per_hour,
        nodes=[[name, str(purchase), zone, n] for (name, purchase, zone), n in sorted(counted(solution.nodes).items())],
        reason=" ".join(solution.reasons[:3]),
        seconds=seconds,
        core_version=__version__,
    )
