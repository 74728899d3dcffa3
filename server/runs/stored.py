"""Problems and solutions of stored fits as values: their texts never change, and reading one anew takes longer than most answers about it."""

from __future__ import annotations

from functools import lru_cache

from rombel.formats import read_problem, read_solution
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from runs.models import Fit

_KEPT = 16


def stored_plan(fit: Fit) -> tuple[FitProblem, FitSolution]:
    """Return the problem and the solution of a fit."""
    return _problem(fit.problem), _solution(fit.solution)


def stored_solution(fit: Fit) -> FitSolution:
    """Return the solution of a fit."""
    return _solution(fit.solution)


@lru_cache(_KEPT)
def _problem(text: str) -> FitProblem:
    return read_problem(text)


@lru_cache(_KEPT)
def _solution(text: str) -> FitSolution:
    return read_solution(text)
