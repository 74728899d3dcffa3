"""The composition root: from a study's plain values to a fit. The only file that knows every part."""

from __future__ import annotations

from collections.abc import Sequence

from rombel.fit import CheckReport, FitObserver, FitParams, check, fit
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.study import Demand, Supply, Targets, compile_problem

__all__ = ["CheckReport", "FitObserver", "FitParams", "check", "compile_problem", "fit", "plan", "warm_up"]


def plan(
    supply: Supply,
    targets: Targets,
    demand: Sequence[Demand],
    *,
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
) -> tuple[FitProblem, FitSolution]:
    """Return the problem that a study's values make, and its fit."""
    problem = compile_problem(supply, targets, demand)
    return problem, fit(problem, seed=seed, params=params, observer=observer)


def warm_up() -> None:
    """Compile (or load) everything that is compiled, so that no first user waits for it."""
    from rombel.formats import read_problem

    for mode in ("none", "landing"):
        fit(read_problem(_SMALLEST.replace("MODE", mode)))


_SMALLEST = """{"format": "rombel-fit-problem/1", "currency": "EUR", "zones": ["a", "b"], "resources": ["x", "y"],
"instance_types": [{"name": "t", "allocatable": {"x": 4, "y": 4}, "offers": [
{"zone": "a", "purchase": "on-demand", "price_per_hour": "1"},
{"zone": "b", "purchase": "on-demand", "price_per_hour": "1.1"}]}],
"workloads": [{"name": "w", "replicas": 5, "request": {"x": 1, "y": 2}},
{"name": "v", "replicas": 3, "request": {"x": 2, "y": 1}}], "survive": {"zone": "MODE"}}"""
