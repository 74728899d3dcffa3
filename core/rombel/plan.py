"""The composition root: from a study's plain values to a fit. The only file that knows every part."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.fit import CheckReport, FitObserver, FitParams, check, fit, quick_floor, undominated
from rombel.model.demand import Demand
from rombel.model.fit_problem import FitProblem, Survival
from rombel.model.fit_solution import FitSolution
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.model.study import Supply, Targets, compile_problem

__all__ = [
    "CheckReport",
    "FitObserver",
    "FitParams",
    "Outlook",
    "check",
    "compile_problem",
    "fit",
    "outlook",
    "plan",
    "problem_of_study",
    "warm_up",
]


def problem_of_study(supply: Supply, targets: Targets, demand: Sequence[Demand]) -> FitProblem:
    """Return the fit problem of a study's values, without the types that no cheapest answer needs."""
    return undominated(compile_problem(supply, targets, demand))


@dataclass(frozen=True, slots=True)
class Outlook:
    """What a region would ask for a demand: floors a month with the promise and without, or why there is no plan."""

    floor_per_month: Decimal | None
    without_promise_per_month: Decimal | None
    reasons: tuple[str, ...] = ()


def outlook(supply: Supply, targets: Targets, demand: Sequence[Demand]) -> Outlook:
    """Return what a supply would ask for a demand, from lower bounds found at once; no plan is made."""
    floors: list[Decimal | None] = []
    reasons: tuple[str, ...] = ()
    for asked in (replace(targets, survive_zone=Survival.NONE), targets):
        try:
            found = quick_floor(problem_of_study(supply, asked, demand))
        except InputRefused as refused:
            return Outlook(None, None, tuple(fault.reason for fault in refused.faults))
        reasons = found.reasons
        floors.append(None if reasons else found.floor_per_hour * HOURS_PER_MONTH)
    return Outlook(floors[1], floors[0], reasons)


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
    problem = problem_of_study(supply, targets, demand)
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
