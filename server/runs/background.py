"""Computing a fit in the background: a quick answer at once where one is known nearby, then the whole one."""

from __future__ import annotations

import contextlib
import logging
import time
from collections.abc import Sequence
from dataclasses import dataclass
from decimal import ROUND_DOWN, Decimal

from accounts.action import Missing, NotAllowed
from jobs.control import Control
from jobs.kinds import Kind, Needless, Refusal, register, row_of
from jobs.models import Job
from rombel.errors import CheckFailed, InputRefused
from rombel.fit import FitParams, Progress, SearchParams, fit, proved_floor, refit
from rombel.formats import read_problem, read_solution
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, FitStatus
from runs.actions.ask import Ask
from runs.availability import downtime_over
from runs.choosing import chosen
from runs.findings import Occasion, keep_figures
from runs.models import Fit, Inquiry, Question, Run
from runs.queries import WITHOUT_ANSWER, near_answers, other_answers
from runs.questions.asking import FOLLOW_UPS
from runs.stored import keep_answer
from runs.thinning import thin
from studies.queries import variant_by_id

log = logging.getLogger("rombel.runs")

AFTER_AN_ANSWER = FitParams(search=SearchParams(work=20_000_000))
"""Of a fit that starts from an answer to nearly the same problem: it has two thirds of the budget, and is no worse than that."""


@dataclass(frozen=True, slots=True)
class FitGiven:
    """A run with its problem, and the answers close to its own: of the same variant, and of the study's other ones."""

    run: Run
    problem: FitProblem
    near: tuple[Fit, ...]
    others: tuple[Fit, ...]


@dataclass(frozen=True, slots=True)
class Computed:
    """The whole answer, the floor that its prices prove (None: it has none), seconds, and the fit that it came after."""

    solution: FitSolution
    proved: Decimal | None
    seconds: float
    after: Fit | None


@register
class Fitting(Kind[FitGiven, Computed]):
    """The core has checked every answer that is stored."""

    name = "fit"
    priority = 5
    again = True
    defect = "The fit failed and was not stored ({error}); the last answer stands."

    def given(self, job: Job) -> FitGiven:
        """Return the run with what is known nearby; one that a newer run has overtaken before it began is needless."""
        run = row_of(Run.objects.select_related("variant__study", "stated"), job)
        # A run that was overtaken while it waited is not begun.
        if run.stop_requested and is_superseded(run):
            raise Needless("A newer fit took its place before it began.")
        return FitGiven(run, read_problem(run.problem), tuple(near_answers(run)), tuple(other_answers(run)))

    def told(self, job: Job, progress: Progress) -> None:
        """Keep cost and floor so far."""
        so_far = {"cost_per_hour": progress.cost_per_hour, "floor_per_hour": progress.floor_per_hour}
        Run.objects.filter(job=job).update(**so_far)

    def compute(self, given: FitGiven, control: Control) -> Computed:
        """Return the whole answer; a quick one is stored on the way."""
        started, run, problem = time.monotonic(), given.run, given.problem
        # Something to look at within a second or two, wherever an answer nearby is known.
        before = _quick(given, control)
        start = _start(given, before, control)
        params = None if start is None else AFTER_AN_ANSWER
        solution = fit(problem, seed=run.seed, params=params, observer=control, before=start)
        solution = chosen(run, problem, solution, given.near)
        # A quick answer gives way to the whole one, which then came after what the quick one came after.
        after = before.after if before is not None and before.run_id == run.pk else before
        return Computed(solution, _proved(problem, solution), time.monotonic() - started, after)

    def store(self, job: Job, given: FitGiven, result: Computed) -> str:
        """Store the whole answer; the quick one gives way, and so does what a newer run has overtaken."""
        run, solution = given.run, result.solution
        so_far = {"cost_per_hour": solution.cost_per_hour, "floor_per_hour": solution.floor_per_hour}
        Run.objects.filter(pk=run.pk).update(**so_far)
        # Nothing was found, and nothing is stored: the last answer stays on the screen.
        if solution.status is FitStatus.UNKNOWN and Job.objects.filter(pk=job.pk, stop_requested=True).exists():
            return "Stopped before an answer was found; the last answer stands."
        overtaken = solution.status is FitStatus.STOPPED and is_superseded(run)
        # A stopped run that was overtaken keeps its quick answer, and a newer one is on its way.
        if not overtaken or not run.fits.exists():
            quick = run.fits.filter(inquiries=None)
            made = keep_answer(run, solution, result.seconds, after=result.after, proved=result.proved)
            quick.exclude(pk=made.pk).delete()
        return ""

    def refusal(self, error: Exception) -> Refusal | None:
        """Return what is told of an answer that breaks a rule: the planner can send it to us."""
        if not isinstance(error, CheckFailed):
            return None
        log.exception("an answer breaks a rule")
        more = f" and {len(error.violations) - 1} more" if len(error.violations) > 1 else ""
        return Refusal(
            f"The answer found breaks a rule ({error.violations[0]}{more}). That is a defect of ours: it was not stored, the last "
            "answer stands. Please send the problem file of this fit."
        )

    def on_done(self, job: Job) -> None:
        """Ask at once what the planner looks at first: the price of each promise and the drills, or why there is no fit."""
        made = Fit.objects.filter(run__job=job).order_by("pk").last()
        if made is None:
            return
        with contextlib.suppress(Missing):  # The study was deleted meanwhile.
            thin(made.variant)
        if made.status == "stopped" or is_superseded(made.run):
            return
        variant = variant_by_id(made.variant_id)
        downtime_over(variant, made)
        at = Occasion(variant, made)
        keep_figures(at, at.judged)
        # The one who asked may have lost the role meanwhile.
        if job.asked_by is None or job.asked_by.role not in Ask.roles:
            return
        planned = [Question.PROMISES, Question.DRILLS]
        # A study that says what it rehearses wants to know with every plan whether its limits hold; where none are stated, the design
        # of all levels has them, and its end asks for the rehearsal.
        if made.variant.study.rehearsal:
            planned.append(Question.REHEARSAL if made.variant.limits else Question.LEVELS)
        for wanted in (Question.CONFLICT,) if made.status in WITHOUT_ANSWER else planned:
            # Edited meanwhile: the next fit asks. No longer their study: nobody asks.
            with contextlib.suppress(InputRefused, NotAllowed, Missing):
                Ask(job.asked_by, made.variant, wanted).run()


def rehearse_again(design: Inquiry) -> None:
    """Rehearse a variant anew once its design of all levels has limits, where none are stated and the study says what it rehearses."""
    variant, asked_by = design.variant, design.job.asked_by
    if variant.limits or not variant.study.rehearsal or asked_by is None or asked_by.role not in Ask.roles:
        return
    # No fit stands yet: the next one asks.
    with contextlib.suppress(InputRefused, NotAllowed, Missing):
        Ask(asked_by, variant, Question.REHEARSAL).run()


FOLLOW_UPS[Question.LEVELS] = rehearse_again


def is_superseded(run: Run) -> bool:
    """Return whether a newer run of the variant was asked for."""
    return Run.objects.filter(variant_id=run.variant_id, pk__gt=run.pk).exists()


def _proved(problem: FitProblem, solution: FitSolution) -> Decimal | None:
    """Return the floor that the answer's prices prove; its ninth digit is rounded down, as a floor must be."""
    if solution.certificate is None:
        return None
    proved = min(proved_floor(problem, solution.certificate), solution.floor_per_hour)
    return proved.quantize(Decimal("1e-9"), ROUND_DOWN)


def _quick(given: FitGiven, control: Control) -> Fit | None:
    """Store at once the cheapest answer close to those that are known; return it, or else the one nearest."""
    started = time.monotonic()
    best = _refitted(given, given.near, control)
    if best is None:
        return given.near[0] if given.near else None
    kept: list[Fit] = []
    solution, after = best

    def keep() -> None:
        kept.append(keep_answer(given.run, solution, time.monotonic() - started, after=after))

    control.keep(keep)
    return kept[-1] if kept else after


def _start(given: FitGiven, before: Fit | None, control: Control) -> FitSolution | None:
    """Return what the whole fit starts from: the quick answer, or what another variant's makes where that is cheaper."""
    known = None if before is None else read_solution(before.solution)
    found = _refitted(given, given.others, control)
    is_answer = before is not None and before.run_id == given.run.pk
    # The cheaper of both starts.
    if found is None or (known is not None and is_answer and known.cost_per_hour <= found[0].cost_per_hour):
        return known
    return found[0]


def _refitted(given: FitGiven, starts: Sequence[Fit], control: Control) -> tuple[FitSolution, Fit] | None:
    """Return the cheapest answer close to one of some, with that one; None where none serves."""
    found = []
    for start in starts:
        if control.stops:
            # A wish to stop between two tries ends them.
            break
        try:
            answer = refit(given.problem, read_solution(start.solution), seed=given.run.seed)
        except CheckFailed:  # A defect of ours, which the whole fit does without.
            log.exception("re-fit failed", extra={"job": f"run {given.run.pk}"})
            continue
        if answer is not None:
            found.append((answer, start))
    return min(found, key=lambda pair: pair[0].cost_per_hour, default=None)
