"""What the worker does: compute fits, and rescue those whose worker died."""

from __future__ import annotations

import logging
import time

from django.db import transaction
from django.utils import timezone
from procrastinate import JobContext, RetryStrategy
from procrastinate.contrib.django import app

from rombel import __version__
from rombel.fit import Progress, fit
from rombel.formats import read_problem, write_solution
from rombel.model.fit_solution import FitSolution
from runs.models import Fit, Run, RunStatus

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
        solution = fit(read_problem(run.problem), seed=run.seed, observer=RunObserver(run_id))
    except Exception as error:
        log.exception("fit failed", extra={"run": run_id})
        _fail(run, f"The fit failed and was not stored: {type(error).__name__}.")
        return
    _store(run, solution, time.monotonic() - started)


def _fail(run: Run, message: str) -> None:
    run.status, run.message, run.finished_at = RunStatus.FAILED, message, timezone.now()
    run.save(update_fields=["status", "message", "finished_at"])


def _store(run: Run, solution: FitSolution, seconds: float) -> None:
    """Store the answer, which the core has checked, and close the run."""
    with transaction.atomic():
        Fit.objects.create(
            run=run,
            variant_id=run.variant_id,
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
        run.status, run.share, run.phase, run.finished_at = RunStatus.DONE, 1.0, "done", timezone.now()
        run.cost_per_hour, run.floor_per_hour = solution.cost_per_hour, solution.floor_per_hour
        run.save()


@app.periodic(cron="* * * * *")
@app.task(queue="plan", queueing_lock="rescue", pass_context=True)
async def rescue(context: JobContext, timestamp: int) -> None:
    """Queue again every job whose worker has stopped answering."""
    manager = app.job_manager
    for job in await manager.get_stalled_jobs(seconds_since_heartbeat=20):
        await manager.retry_job(job)
