"""What the worker does: compute fits, answer questions, compute points of a frontier."""

from __future__ import annotations

import contextlib
import logging
import time
from collections.abc import Sequence
from decimal import ROUND_DOWN, Decimal
from typing import Any

from django.db import transaction
from django.utils import timezone
from procrastinate import JobContext
from procrastinate.contrib.django import app

from jobs.claims import AWAY, MOST_ATTEMPTS, Claim, begun, is_held, patiently
from jobs.tasks import RETRY, queue, rescued
from rombel import __version__
from rombel.availability.frontier import POINTS
from rombel.errors import CheckFailed, InputRefused
from rombel.fit import FitParams, Progress, SearchParams, fit, proved_floor, refit
from rombel.formats import read_problem, read_solution, write_solution
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, FitStatus
from runs.answers import answer_of
from runs.choosing import chosen
from runs.models import Fit, Inquiry, Question, Run, RunStatus
from runs.promised import one_point
from runs.queries import WITHOUT_ANSWER, near_answers, other_answers

log = logging.getLogger("rombel.runs")

REPORT_EVERY_S = 0.15
ACTIVE = (RunStatus.QUEUED, RunStatus.RUNNING)
AFTER_AN_ANSWER = FitParams(search=SearchParams(work=20_000_000))
"""Of a fit that starts from an answer to nearly the same problem: it has two thirds of the budget, and is no worse than that."""
SPENT = "Three workers began this and none came to its end; it is not begun again."


class Teller:
    """Writes progress to a claimed row at most so often, and reads whether to stop; a database that is away is no reason to."""

    def __init__(self, held: Claim[Any]) -> None:
        self.held, self._last, self._stop = held, 0.0, False

    def wishes_to_stop(self) -> bool:
        """Return whether a stop was wished, as far as the claim's own listening knows."""
        return self.held.stopped.is_set()

    def is_due(self) -> bool:
        """Return whether it is time to write again."""
        now = time.monotonic()
        if now - self._last < REPORT_EVERY_S:
            return False
        self._last = now
        return True

    def tell(self, **fields: Any) -> bool:
        """Return whether to stop: it was wished, or the row belongs to another worker by now."""
        try:
            self._stop = self.held.tell(**fields)
        except AWAY:
            log.warning("the database is away; computing goes on")
        return self._stop


class RunObserver(Teller):
    """Tells how far a fit is."""

    def on_progress(self, progress: Progress) -> bool:
        """Return whether the planner, or a newer run, asked to stop."""
        return self.is_due() and self.tell(
            phase=progress.phase,
            share=progress.share,
            cost_per_hour=progress.cost_per_hour,
            floor_per_hour=progress.floor_per_hour,
        )


def queue_run(run_id: int, *, after_s: int = 0) -> bool:
    """Queue the fit of a run, before the many small jobs that may wait; return whether it did not wait already."""
    return queue(compute, f"run-{run_id}", priority=5, after_s=after_s, run_id=run_id)


@app.task(queue="plan", pass_context=True, retry=RETRY)
def compute(context: JobContext, run_id: int) -> None:
    """Compute the fit of a run; done twice it does nothing the second time."""
    held = begun(Run, run_id, ACTIVE, again=queue_run, spent=_give_up, status=RunStatus.RUNNING)
    if held is None:
        return
    if held.row.stop_requested and _is_superseded(held.row):
        _end(held, RunStatus.DONE, "A newer fit took its place before it began.")
        return
    started = time.monotonic()
    try:
        with held.beating():
            problem = read_problem(held.row.problem)
            near = near_answers(held.row)
            before = _quick(held, problem, near)
            start = _start(held, problem, before)
            params = None if start is None else AFTER_AN_ANSWER
            solution = fit(problem, seed=held.row.seed, params=params, observer=RunObserver(held), before=start)
            solution = chosen(held.row, problem, solution, near)
    except AWAY:
        raise
    except CheckFailed as failed:
        log.exception("an answer breaks a rule", extra={"job": f"run {run_id}", "digest": held.row.digest})
        _end(held, RunStatus.FAILED, _defect(failed))
        return
    except Exception as error:
        log.exception("fit failed", extra={"job": f"run {run_id}"})
        _end(
            held,
            RunStatus.FAILED,
            f"The fit failed and was not stored ({type(error).__name__}); the last answer stands.",
        )
        return
    # A quick answer gives way to the whole one, which then came after what the quick one came after.
    after = before.after if before is not None and before.run_id == held.row.pk else before
    seconds, proved = time.monotonic() - started, _proved(problem, solution)
    patiently(lambda: _store(held, solution, proved, seconds, after))


def _proved(problem: FitProblem, solution: FitSolution) -> Decimal | None:
    """Return the floor that the answer's prices prove; its ninth digit is rounded down, as a floor must be."""
    if solution.certificate is None:
        return None
    proved = min(proved_floor(problem, solution.certificate), solution.floor_per_hour)
    return proved.quantize(Decimal("1e-9"), ROUND_DOWN)


def _defect(failed: CheckFailed) -> str:
    """Return what the planner is told of an answer that breaks a rule."""
    more = f" and {len(failed.violations) - 1} more" if len(failed.violations) > 1 else ""
    return (
        f"The answer found breaks a rule ({failed.violations[0]}{more}). That is a defect of ours: it was not stored, the last "
        "answer stands. Please send the problem file of this fit."
    )


def _is_superseded(run: Run) -> bool:
    return Run.objects.filter(variant_id=run.variant_id, pk__gt=run.pk).exists()


def _quick(held: Claim[Run], problem: FitProblem, near: Sequence[Fit]) -> Fit | None:
    """Store at once the cheapest answer close to those that are known; return it, or else the one nearest."""
    started = time.monotonic()
    best = _refitted(held, problem, near)
    if best is None:
        return near[0] if near else None
    with transaction.atomic():
        return _keep(held.row, best[0], time.monotonic() - started, best[1]) if held.write() else best[1]


def _start(held: Claim[Run], problem: FitProblem, before: Fit | None) -> FitSolution | None:
    """Return what the whole fit starts from: the quick answer, or what another variant's makes where that is cheaper."""
    known = None if before is None else read_solution(before.solution)
    found = _refitted(held, problem, other_answers(held.row))
    is_answer = before is not None and before.run_id == held.row.pk
    if found is None or (known is not None and is_answer and known.cost_per_hour <= found[0].cost_per_hour):
        return known
    return found[0]


def _refitted(held: Claim[Run], problem: FitProblem, starts: Sequence[Fit]) -> tuple[FitSolution, Fit] | None:
    """Return the cheapest answer close to one of some, with that one; None where none serves."""
    found = []
    for start in starts:
        if held.stopped.is_set():
            break
        try:
            answer = refit(problem, read_solution(start.solution), seed=held.row.seed)
        except CheckFailed:  # A defect of ours, which the whole fit does without.
            log.exception("re-fit failed", extra={"job": f"run {held.row.pk}"})
            continue
        if answer is not None:
            found.append((answer, start))
    return min(found, key=lambda pair: pair[0].cost_per_hour, default=None)


def _keep(run: Run, solution: FitSolution, seconds: float, before: Fit | None, proved: Decimal | None = None) -> Fit:
    """Store an answer, which the core has checked."""
    return Fit.objects.create(
        run=run,
        variant_id=run.variant_id,
        after=before,
        stated_id=run.stated_id,
        digest=run.digest,
        solution=write_solution(solution),
        status=str(solution.status),
        cost_per_hour=solution.cost_per_hour,
        floor_per_hour=solution.floor_per_hour,
        proved_per_hour=proved,
        core_version=__version__,
        seed=run.seed,
        seconds=seconds,
    )


def _store(held: Claim[Run], solution: FitSolution, proved: Decimal | None, seconds: float, before: Fit | None) -> None:
    """Store the whole answer and close the run; the quick one gives way, and so does what a newer run has overtaken."""
    run, made = held.row, None
    with transaction.atomic():
        fields = {"cost_per_hour": solution.cost_per_hour, "floor_per_hour": solution.floor_per_hour}
        if not held.close(status=RunStatus.DONE, share=1.0, phase="done", finished_at=timezone.now(), **fields):
            return
        if solution.status is FitStatus.UNKNOWN and Run.objects.filter(pk=run.pk, stop_requested=True).exists():
            Run.objects.filter(pk=run.pk).update(message="Stopped before an answer was found; the last answer stands.")
            return
        overtaken = solution.status is FitStatus.STOPPED and _is_superseded(run)
        if not overtaken or not run.fits.exists():
            quick = run.fits.filter(inquiries=None)
            made = _keep(run, solution, seconds, before, proved)
            quick.exclude(pk=made.pk).delete()
    if made is not None and not overtaken:
        _ask_after(run, made)


def _ask_after(run: Run, made: Fit) -> None:
    """Ask at once what the planner looks at first: the price of each promise, or why there is no fit."""
    from runs.actions.ask import Ask

    if made.status == "stopped" or run.created_by.role not in Ask.roles:
        return
    question = Question.CONFLICT if made.status in WITHOUT_ANSWER else Question.PROMISES
    with contextlib.suppress(InputRefused):  # Edited meanwhile: the next fit asks.
        Ask(run.created_by, run.variant, question).run()


class InquiryObserver(Teller):
    """Tells how far an answer is, and lets fits that are being computed go first.

    What is asked after every fit by itself gives way to what a planner asks, and goes on afterwards.
    """

    gives_way = False

    def on_progress(self, progress: Progress) -> bool:
        """Return whether the planner, or the same question asked anew, wants it to stop, or whether it gives way."""
        if self.gives_way or not self.is_due():
            return self.gives_way
        while not (stop := self.tell(phase=progress.phase, share=progress.share)) and _fits_run():
            time.sleep(REPORT_EVERY_S)
        if not stop and self.held.row.question == Question.PROMISES:
            self.gives_way = _planner_waits()
        return stop or self.gives_way

    def keep(self, answer: dict[str, Any]) -> None:
        """Store what is known so far."""
        patiently(lambda: self.held.write(answer=answer))


def _fits_run() -> bool:
    """Return whether a worker that is alive computes a fit: one that died must not keep others waiting."""
    return any(is_held(run) for run in Run.objects.filter(status=RunStatus.RUNNING).only("worker", "seen_at"))


def _planner_waits() -> bool:
    """Return whether a question waits that somebody asked, other than what is asked after every fit by itself."""
    return Inquiry.objects.filter(status=RunStatus.QUEUED).exclude(question=Question.PROMISES).exists()


def queue_inquiry(inquiry_id: int, *, priority: int = 0, after_s: int = 0) -> bool:
    """Queue a question; what a planner asks goes before what is asked after every fit."""
    return queue(answer, f"inquiry-{inquiry_id}", priority=priority, after_s=after_s, inquiry_id=inquiry_id)


@app.task(queue="ask", pass_context=True, retry=RETRY)
def answer(context: JobContext, inquiry_id: int) -> None:
    """Answer an inquiry; done twice it does nothing the second time."""
    held = begun(Inquiry, inquiry_id, ACTIVE, again=queue_inquiry, spent=_give_up, status=RunStatus.RUNNING)
    if held is None:
        return
    observer = InquiryObserver(held)
    try:
        with held.beating():
            given = {**held.row.inputs_given, "so_far": held.row.answer}
            found = answer_of(Question(held.row.question), given, observer, observer.keep)
    except AWAY:
        raise
    except Exception as error:
        log.exception("inquiry failed", extra={"job": f"inquiry {inquiry_id}"})
        _end(held, RunStatus.FAILED, f"The question could not be answered ({type(error).__name__}).")
        return
    observer.keep(found)
    if observer.gives_way:
        patiently(lambda: held.close(status=RunStatus.QUEUED, phase="", attempts=held.row.attempts - 1))
        queue_inquiry(inquiry_id, after_s=1)
        return
    _end(held, RunStatus.DONE, "")


def _give_up(held: Claim[Any]) -> None:
    """Close a row that too many workers began."""
    _end(held, RunStatus.FAILED, SPENT)


def _end(held: Claim[Any], status: RunStatus, message: str) -> None:
    """Close a row as long as it is this worker's."""
    said = {"message": message} if message else {}
    patiently(lambda: held.close(status=status, phase=str(status), finished_at=timezone.now(), **said))


class PointObserver:
    """Stops a point of a frontier where the planner asks for it, or where a fit or a planner's question waits: then it comes later."""

    def __init__(self, inquiry_id: int) -> None:
        self._id, self._last = inquiry_id, 0.0
        self.gives_way = self.stops = False

    def on_progress(self, progress: Progress) -> bool:
        """Return whether to stop, once for all parts of the point; how far the frontier is, its points say."""
        now = time.monotonic()
        if now - self._last >= REPORT_EVERY_S and not (self.gives_way or self.stops):
            self._last = now
            self.gives_way = Run.objects.filter(status=RunStatus.QUEUED).exists() or _planner_waits()
            rows = Inquiry.objects.filter(pk=self._id)
            rows.update(seen_at=timezone.now())
            self.stops = bool(rows.values_list("stop_requested", flat=True).get())
        return self.gives_way or self.stops


def queue_point(inquiry_id: int, place: int, *, after_s: int = 0) -> bool:
    """Queue a point of a frontier."""
    return queue(point, f"point-{inquiry_id}-{place}", after_s=after_s, inquiry_id=inquiry_id, place=place)


@app.task(queue="points", pass_context=True, retry=RETRY)
def point(context: JobContext, inquiry_id: int, place: int) -> None:
    """Compute one point of a frontier and put it to the others; done twice it does nothing the second time."""
    inquiry = _begun(inquiry_id, place)
    if inquiry is None:
        return
    observer = PointObserver(inquiry_id)
    try:
        found = one_point(inquiry.inputs_given, place, inquiry.answer["points"], observer)
    except AWAY:
        raise
    except Exception as error:
        log.exception("point failed", extra={"job": f"inquiry {inquiry_id}", "place": place})
        _close(inquiry, RunStatus.FAILED, f"A point could not be computed ({type(error).__name__}).")
        return
    if observer.gives_way:  # What was found on the way is no answer: it was stopped half-way.
        _given_way(inquiry_id, place)
        return
    if observer.stops:
        _close(inquiry, RunStatus.DONE)
        return
    patiently(lambda: _put(inquiry_id, place, found))


def _begun(inquiry_id: int, place: int) -> Inquiry | None:
    """Count a try of a point, and return its inquiry; None where there is nothing left to do, or it was tried too often."""
    with transaction.atomic():
        inquiry = Inquiry.objects.select_for_update(of=("self",)).filter(pk=inquiry_id).first()
        if inquiry is None or inquiry.status not in ACTIVE or _is_known(inquiry.answer, place):
            return None
        if inquiry.stop_requested:
            _close(inquiry, RunStatus.DONE)
            return None
        tries = inquiry.answer.setdefault("tries", {})
        tries[str(place)] = tries.get(str(place), 0) + 1
        if tries[str(place)] > MOST_ATTEMPTS:
            inquiry.answer["unfit"].append(place)
        inquiry.seen_at = timezone.now()
        inquiry.save(update_fields=["answer", "seen_at"])
    if tries[str(place)] <= MOST_ATTEMPTS:
        return inquiry
    _finish(inquiry)
    return None


def _given_way(inquiry_id: int, place: int) -> None:
    """Take back the try of a point that gave way, and queue it again."""
    with transaction.atomic():
        inquiry = Inquiry.objects.select_for_update(of=("self",)).get(pk=inquiry_id)
        inquiry.answer["tries"][str(place)] -= 1
        inquiry.save(update_fields=["answer"])
    queue_point(inquiry_id, place, after_s=2)


def _is_known(answer: dict[str, Any], place: int) -> bool:
    return str(place) in answer["points"] or place in answer["unfit"]


def _put(inquiry_id: int, place: int, found: dict[str, Any] | None) -> None:
    """Keep a point; the last one closes the inquiry. Several workers may come at once, so the row is held."""
    with transaction.atomic():
        inquiry = Inquiry.objects.select_for_update(of=("self",)).get(pk=inquiry_id)
        if _is_known(inquiry.answer, place) or inquiry.status not in ACTIVE:
            return
        if found is None:
            inquiry.answer["unfit"].append(place)
        else:
            inquiry.answer["points"][str(place)] = found
        done = len(inquiry.answer["points"]) + len(inquiry.answer["unfit"])
        inquiry.share, inquiry.phase = done / POINTS, f"{done} of {POINTS}"
        inquiry.save(update_fields=["answer", "share", "phase"])
    _finish(inquiry)


def _finish(inquiry: Inquiry) -> None:
    """Close a frontier whose points are all there."""
    if len(inquiry.answer["points"]) + len(inquiry.answer["unfit"]) >= POINTS or inquiry.stop_requested:
        _close(inquiry, RunStatus.DONE)


def _close(inquiry: Inquiry, status: RunStatus, message: str = "") -> None:
    """Close a frontier; why it was stopped stays where that was said."""
    said = {"message": message} if message else {}
    Inquiry.objects.filter(pk=inquiry.pk).update(status=status, phase=str(status), finished_at=timezone.now(), **said)


def _again(inquiry: Inquiry) -> bool:
    """Queue again what is left of an inquiry."""
    if inquiry.question != Question.FRONTIER:
        return queue_inquiry(inquiry.pk)
    left = [place for place in range(POINTS) if not _is_known(inquiry.answer, place)]
    return any([queue_point(inquiry.pk, place) for place in left])


rescued(Run, RunStatus.RUNNING, lambda run: queue_run(run.pk))
rescued(Inquiry, RunStatus.RUNNING, _again)
