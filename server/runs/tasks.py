"""What the worker does: compute fits, and rescue those whose worker died."""

from __future__ import annotations

import contextlib
import logging
import time
from typing import Any

from django.db import transaction
from django.utils import timezone
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app

from rombel import __version__
from rombel.availability.frontier import POINTS
from rombel.errors import CheckFailed, InputRefused
from rombel.fit import Progress, fit, refit
from rombel.formats import read_problem, read_solution, write_solution
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from runs.answers import answer_of
from runs.models import Fit, Inquiry, Question, Run, RunStatus
from runs.promised import one_point
from runs.queries import latest_answer

log = logging.getLogger("rombel.runs")

MOST_ATTEMPTS = 3
REPORT_EVERY_S = 0.15


class RunObserver:
    """Writes progress to the run's row and reads whether to stop."""

    def __init__(self, run_id: int) -> None:
        self._run_id, self._last = run_id, 0.0

    def on_progress(self, progress: Progress) -> bool:
        """Return whether the planner, or a newer run, asked to stop."""
        now = time.monotonic()
        if now - self._last < REPORT_EVERY_S:
            return False
        self._last = now
        row = Run.objects.filter(pk=self._run_id)
        row.update(
            phase=progress.phase,
            share=progress.share,
            cost_per_hour=progress.cost_per_hour,
            floor_per_hour=progress.floor_per_hour,
        )
        return bool(row.values_list("stop_requested", flat=True).get())


@app.task(queue="plan", pass_context=True, retry=RetryStrategy(max_attempts=MOST_ATTEMPTS, wait=1))
def compute(context: JobContext, run_id: int) -> None:
    """Compute the fit of a run; done twice it does nothing the second time."""
    run = Run.objects.filter(pk=run_id).first()
    if run is None or run.status in (RunStatus.DONE, RunStatus.FAILED):
        return
    run.attempts += 1
    run.status = RunStatus.RUNNING
    run.save(update_fields=["attempts", "status"])
    if run.attempts > MOST_ATTEMPTS:
        _fail(run, "The worker died three times on this fit.")
        return
    started = time.monotonic()
    try:
        problem = read_problem(run.problem)
        before = _quick(run, problem, latest_answer(run.variant))
        known = None if before is None else read_solution(before.solution)
        solution = fit(problem, seed=run.seed, observer=RunObserver(run_id), before=known)
    except Exception as error:
        log.exception("fit failed", extra={"run": run_id})
        _fail(run, f"The fit failed and was not stored: {type(error).__name__}.")
        return
    _store(run, solution, time.monotonic() - started, before)


def _quick(run: Run, problem: FitProblem, before: Fit | None) -> Fit | None:
    """Store at once an answer close to the last one, where that serves; return the answer to start from."""
    started = time.monotonic()
    if before is None:
        return None
    try:
        found = refit(problem, read_solution(before.solution), seed=run.seed)
    except CheckFailed:  # A defect of ours, which the whole fit does without.
        log.exception("re-fit failed", extra={"run": run.pk})
        found = None
    return before if found is None else _keep(run, found, time.monotonic() - started, before)


def _fail(run: Run, message: str) -> None:
    run.status, run.message, run.finished_at = RunStatus.FAILED, message, timezone.now()
    run.save(update_fields=["status", "message", "finished_at"])


def _keep(run: Run, solution: FitSolution, seconds: float, before: Fit | None) -> Fit:
    """Store an answer, which the core has checked."""
    return Fit.objects.create(
        run=run,
        variant_id=run.variant_id,
        after=before,
        problem=run.problem,
        digest=run.digest,
        solution=write_solution(solution),
        status=str(solution.status),
        cost_per_hour=solution.cost_per_hour,
        floor_per_hour=solution.floor_per_hour,
        core_version=__version__,
        seed=run.seed,
        seconds=seconds,
    )


def _store(run: Run, solution: FitSolution, seconds: float, before: Fit | None) -> None:
    """Store the whole answer and close the run."""
    with transaction.atomic():
        made = _keep(run, solution, seconds, before)
        run.status, run.share, run.phase, run.finished_at = RunStatus.DONE, 1.0, "done", timezone.now()
        run.cost_per_hour, run.floor_per_hour = solution.cost_per_hour, solution.floor_per_hour
        run.save()
    _ask_after(run, made)


def _ask_after(run: Run, fit: Fit) -> None:
    """Ask at once what the planner looks at first: the price of each promise, or why there is no fit."""
    from runs.actions.ask import Ask

    if fit.status == "stopped" or run.created_by.role not in Ask.roles:
        return
    question = Question.CONFLICT if fit.status == "infeasible" else Question.PROMISES
    with contextlib.suppress(InputRefused):  # Edited meanwhile: the next fit asks.
        Ask(run.created_by, run.variant, question).run()


class InquiryObserver:
    """Writes progress to the inquiry's row, lets fits go first, and reads whether to stop."""

    def __init__(self, inquiry_id: int) -> None:
        self._id, self._last = inquiry_id, 0.0

    def on_progress(self, progress: Progress) -> bool:
        """Return whether the planner, or the same question asked anew, wants it to stop."""
        now = time.monotonic()
        if now - self._last < REPORT_EVERY_S:
            return False
        row = Inquiry.objects.filter(pk=self._id)
        row.update(phase=progress.phase, share=progress.share)
        while not (stop := bool(row.values_list("stop_requested", flat=True).get())):
            if not Run.objects.filter(status=RunStatus.RUNNING).exists():
                break
            time.sleep(REPORT_EVERY_S)
        self._last = time.monotonic()
        return stop

    def keep(self, answer: dict[str, Any]) -> None:
        """Store what is known so far."""
        Inquiry.objects.filter(pk=self._id).update(answer=answer)


@app.task(queue="ask", pass_context=True, retry=RetryStrategy(max_attempts=MOST_ATTEMPTS, wait=1))
def answer(context: JobContext, inquiry_id: int) -> None:
    """Answer an inquiry; done twice it does nothing the second time."""
    inquiry = Inquiry.objects.filter(pk=inquiry_id).first()
    if inquiry is None or inquiry.status in (RunStatus.DONE, RunStatus.FAILED):
        return
    inquiry.attempts += 1
    inquiry.status = RunStatus.RUNNING
    inquiry.save(update_fields=["attempts", "status"])
    if inquiry.attempts > MOST_ATTEMPTS:
        _close(inquiry, RunStatus.FAILED, "The worker died three times on this question.")
        return
    observer = InquiryObserver(inquiry_id)
    try:
        observer.keep(answer_of(Question(inquiry.question), inquiry.given, observer, observer.keep))
    except Exception as error:
        log.exception("inquiry failed", extra={"inquiry": inquiry_id})
        _close(inquiry, RunStatus.FAILED, f"The question could not be answered: {type(error).__name__}.")
        return
    _close(inquiry, RunStatus.DONE, "")


class PointObserver(InquiryObserver):
    """Stops a point of a frontier where the planner asks for it, or where a fit waits for a worker: then it comes later."""

    def __init__(self, inquiry_id: int) -> None:
        super().__init__(inquiry_id)
        self.gives_way = False

    def on_progress(self, progress: Progress) -> bool:
        """Return whether to stop; how far the frontier is, its points say."""
        now = time.monotonic()
        if now - self._last < REPORT_EVERY_S:
            return False
        self._last = now
        self.gives_way = Run.objects.filter(status=RunStatus.QUEUED).exists()
        return self.gives_way or bool(
            Inquiry.objects.filter(pk=self._id).values_list("stop_requested", flat=True).get()
        )


@app.task(queue="points", pass_context=True, retry=RetryStrategy(max_attempts=MOST_ATTEMPTS, wait=1))
def point(context: JobContext, inquiry_id: int, place: int) -> None:
    """Compute one point of a frontier and put it to the others; done twice it does nothing the second time."""
    inquiry = Inquiry.objects.filter(pk=inquiry_id).first()
    if inquiry is None or inquiry.status in (RunStatus.DONE, RunStatus.FAILED) or _is_known(inquiry.answer, place):
        return
    if inquiry.stop_requested:
        _close(inquiry, RunStatus.DONE, "")
        return
    observer = PointObserver(inquiry_id)
    try:
        found = one_point(inquiry.given, place, observer)
    except Exception as error:
        log.exception("point failed", extra={"inquiry": inquiry_id, "place": place})
        _close(inquiry, RunStatus.FAILED, f"A point could not be computed: {type(error).__name__}.")
        return
    if observer.gives_way:
        point.configure(schedule_in={"seconds": 2}).defer(inquiry_id=inquiry_id, place=place)
        return
    _put(inquiry_id, place, found)


def _is_known(answer: dict[str, Any], place: int) -> bool:
    return str(place) in answer["points"] or place in answer["unfit"]


def _put(inquiry_id: int, place: int, found: dict[str, Any] | None) -> None:
    """Keep a point; the last one closes the inquiry. Several workers may come at once, so the row is held."""
    with transaction.atomic():
        inquiry = Inquiry.objects.select_for_update().get(pk=inquiry_id)
        if found is None:
            inquiry.answer["unfit"].append(place)
        else:
            inquiry.answer["points"][str(place)] = found
        done = len(inquiry.answer["points"]) + len(inquiry.answer["unfit"])
        inquiry.share, inquiry.phase = done / POINTS, f"{done} of {POINTS}"
        inquiry.save(update_fields=["answer", "share", "phase"])
    if done == POINTS or inquiry.stop_requested:
        _close(inquiry, RunStatus.DONE, "")


def _close(inquiry: Inquiry, status: RunStatus, message: str) -> None:
    Inquiry.objects.filter(pk=inquiry.pk).update(
        status=status, message=message, phase=str(status), finished_at=timezone.now()
    )


@app.periodic(cron="* * * * *")
@app.task(queue="plan", queueing_lock="rescue", pass_context=True)
async def rescue(context: JobContext, timestamp: int) -> None:
    """Queue again every job whose worker has stopped answering."""
    manager = app.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=20):
        await manager.retry_job(job)
