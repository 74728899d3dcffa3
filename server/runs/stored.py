"""How an answer is stored, and stored fits as values: their texts never change, and reading one anew takes longer than most answers about it."""

from __future__ import annotations

from decimal import Decimal
from functools import lru_cache

from rombel import __version__
from rombel.formats import read_problem, read_solution, write_solution
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from runs.inputs import digest_of
from runs.models import Fit, Run, StatedProblem

_KEPT = 32


def keep_answer(
    run: Run,
    solution: FitSolution,
    seconds: float,
    *,
    after: Fit | None = None,
    proved: Decimal | None = None,
    core_version: str = __version__,
) -> Fit:
    """Store an answer to a run's problem, which was checked; ``after`` is what it started from, ``proved`` the floor that its prices prove."""
    # What it started from may have been dropped while it was computed.
    rows = Fit.objects.select_for_update(no_key=True).values_list("pk", flat=True)
    origin = None if after is None else rows.filter(pk=after.pk).first()
    return Fit.objects.create(
        run=run,
        variant_id=run.variant_id,
        after_id=origin,
        stated_id=run.stated_id,
        digest=run.digest,
        solution=write_solution(solution),
        status=str(solution.status),
        cost_per_hour=solution.cost_per_hour,
        floor_per_hour=solution.floor_per_hour,
        proved_per_hour=proved,
        core_version=core_version,
        seed=run.seed,
        seconds=seconds,
    )


def of_other_problems() -> tuple[int, int]:
    """Return how many fits there are, and how many are of a problem that has not the fingerprint which the fit has."""
    fits = wrong = 0
    for digest, text in Fit.objects.values_list("digest", "stated__text").iterator(50):
        fits += 1
        wrong += digest_of(text) != digest
    return fits, wrong


def stored_plan(fit: Fit) -> tuple[FitProblem, FitSolution]:
    """Return the problem and the solution of a fit."""
    return _problem(fit.stated_id) if fit.stated_id else _problem_of(fit.problem), stored_solution(fit)


def stored_solution(fit: Fit) -> FitSolution:
    """Return the solution of a fit."""
    # A level's fit is part of a design and has no number of its own.
    return _solution(fit.pk) if fit.pk else _solution_of(fit.solution)


# By number and not by text: whoever looks at a plan that is known reads no text of it.
@lru_cache(_KEPT)
def _problem(stated_id: int) -> FitProblem:
    return read_problem(StatedProblem.objects.values_list("text", flat=True).get(pk=stated_id))


@lru_cache(_KEPT)
def _problem_of(text: str) -> FitProblem:
    return read_problem(text)


@lru_cache(_KEPT)
def _solution_of(text: str) -> FitSolution:
    return read_solution(text)


@lru_cache(_KEPT)
def _solution(fit_id: int) -> FitSolution:
    return read_solution(Fit.objects.values_list("solution", flat=True).get(pk=fit_id))
