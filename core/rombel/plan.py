"""From a study's plain values to a fit: its problem, its floor, its cheapest plan, and what one more workload adds.

Parts of the core are joined here, where a study becomes a fit, and in ``rombel.inquiry``, where a question is asked of one, a file a
question; the parts themselves do not know each other.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.fit import (
    ChangeParams,
    CheckReport,
    FitObserver,
    FitParams,
    SearchParams,
    check,
    quick_floor,
    refit,
    stand_on,
    undominated,
)
from rombel.fit import fit as cheapest_fit
from rombel.model.compilation import compile_problem
from rombel.model.demand import Demand, Level, WorkloadKind
from rombel.model.existing import ExistingNode
from rombel.model.fit_problem import FitProblem, Purchase, Survival
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch
from rombel.model.levels import at_level
from rombel.model.pod import Amounts
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.model.rehearsal import Rehearsal
from rombel.model.running import Running
from rombel.model.study import Supply, Targets
from rombel.simulate.rehearsal import rehearse
from rombel.sweep import Point, brought, targets_at

__all__ = [
    "Addition",
    "CheckReport",
    "FitObserver",
    "FitParams",
    "Outlook",
    "UnitPrices",
    "addition",
    "floor_per_month",
    "cheapest_fit",
    "check",
    "compile_problem",
    "outlook",
    "plan",
    "problem_around",
    "problem_at",
    "problem_of_study",
    "problems_by_level",
    "unit_prices",
    "warm_fit",
    "warm_rehearsal",
    "warm_up",
]


def problem_of_study(supply: Supply, targets: Targets, demand: Sequence[Demand]) -> FitProblem:
    """Return the fit problem of a study's values, without the types that no cheapest answer needs."""
    return undominated(compile_problem(supply, targets, demand))


def problem_at(supply: Supply, targets: Targets, demand: Sequence[Demand], point: Point) -> FitProblem:
    """Return the fit problem of a study's values with what is chosen and what the future brings at a point of a sweep.

    Which types are needed hangs on prices and on how much is needed, so types are left out last.
    """
    return undominated(brought(compile_problem(supply, targets_at(targets, point), demand), point.brings))


def problem_around(supply: Supply, targets: Targets, demand: Sequence[Demand], running: Running) -> FitProblem:
    """Return the fit problem of a study's values with every type that runs, and of the others those a cheapest answer needs."""
    # What runs must stay in the problem, even where a cheaper type would dominate it: it is where the steps begin.
    whole = compile_problem(supply, targets, demand)
    return undominated(
        whole, keep={node.instance_type for node in running.nodes} & {e.name for e in whole.instance_types}
    )


def problems_by_level(supply: Supply, targets: Targets, demand: Sequence[Demand]) -> dict[Level, FitProblem]:
    """Return the fit problem of every demand level."""
    return {level: problem_of_study(supply, replace(targets, level=level), demand) for level in Level}


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
    # Without the promise first: where even that has no floor the reasons are those of the demand itself.
    for asked in (replace(targets, survive_zone=Survival.NONE), targets):
        try:
            floor, reasons = floor_per_month(supply, asked, demand)
        except InputRefused as refused:
            return Outlook(None, None, tuple(fault.reason for fault in refused.faults))
        floors.append(None if reasons else floor)
    return Outlook(floors[1], floors[0], reasons)


def floor_per_month(supply: Supply, targets: Targets, demand: Sequence[Demand]) -> tuple[Decimal, tuple[str, ...]]:
    """Return the lower bound on a month's cost, found at once, or why there is no plan.

    Raises
    ------
    InputRefused
        When the values make no problem.

    """
    found = quick_floor(problem_of_study(supply, targets, demand))
    return found.floor_per_hour * HOURS_PER_MONTH, found.reasons


@dataclass(frozen=True, slots=True)
class UnitPrices:
    """What one vCPU and one GiB less would take off the floor of a month, by taking a twentieth off every request."""

    floor_per_month: Decimal
    per_vcpu: Decimal
    per_gib: Decimal


def unit_prices(supply: Supply, targets: Targets, demand: Sequence[Demand]) -> UnitPrices:
    """Return today's marginal prices of requests under a variant's promises, from three lower bounds.

    Raises
    ------
    InputRefused
        When the values make no problem.

    """
    # Daemons run wherever a node does; how many that are is not known before there are nodes.
    placed = at_level([row for row in demand if row.kind is not WorkloadKind.DAEMON], targets.level)
    now, _ = floor_per_month(supply, targets, demand)
    rates = []
    # A small finite change and not a derivative: a floor jumps where another type becomes the cheaper one.
    for name, unit in (("cpu_millicores", 1000), ("memory_bytes", 2**30)):
        fewer = [replace(row, request=_shaved(row.request, name)) for row in demand]
        saved = sum(
            row.replicas * (getattr(row.request, name) - getattr(_shaved(row.request, name), name)) for row in placed
        )
        less, reasons = floor_per_month(supply, targets, fewer)
        rates.append(max(Decimal(0), now - less) * unit / saved if saved and not reasons else Decimal(0))
    return UnitPrices(now, rates[0], rates[1])


def _shaved(request: Amounts, name: str) -> Amounts:
    """Return the request with a twentieth less of one resource, but never nothing."""
    amount = getattr(request, name)
    return replace(request, **{name: amount - amount // 20})


@dataclass(frozen=True, slots=True)
class Addition:
    """What a workload adds to the floor of a month, and how much of that its promise costs; or why it cannot run."""

    cost_per_month: Decimal
    promise_per_month: Decimal
    reasons: tuple[str, ...] = ()


def addition(supply: Supply, targets: Targets, demand: Sequence[Demand], row: Demand) -> Addition:
    """Return what one more workload would add: the floor with it less the floor without, with its promise and without.

    Raises
    ------
    InputRefused
        When the values make no problem.

    """
    # Both floors are bounds, so their difference is what the row adds at the margin, not what a new plan would cost.
    before, _ = floor_per_month(supply, targets, demand)
    after, reasons = floor_per_month(supply, targets, [*demand, row])
    if reasons:
        return Addition(Decimal(0), Decimal(0), reasons)
    plain, _ = floor_per_month(supply, targets, [*demand, replace(row, promised=False)])
    return Addition(max(Decimal(0), after - before), max(Decimal(0), after - plain))


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
    return problem, cheapest_fit(problem, seed=seed, params=params, observer=observer)


def warm_up() -> None:
    """Compile (or load) everything that is compiled, so that no first user waits for it."""
    warm_fit()
    warm_rehearsal()


def warm_fit() -> None:
    """Compile (or load) what a fit and steps from what stands call."""
    from rombel.formats import read_problem

    # Both modes use different compiled loops, and stepping from what stands uses the rest.
    little = FitParams(search=SearchParams(work=20_000), chunks=2)
    for mode in ("none", "landing"):
        problem = read_problem(_SMALLEST.replace("MODE", mode))
        answer = cheapest_fit(problem, params=little)
        refit(problem, answer)
        nodes = [
            ExistingNode(f"n{number}", batch.instance_type, batch.purchase, batch.zone, batch.replicas)
            for number, batch in enumerate(answer.nodes)
        ]
        stand_on(problem, nodes, params=ChangeParams(tries=2)).change()


def warm_rehearsal() -> None:
    """Compile (or load) what a rehearsal calls; it shares no loop with a fit, so that both may be compiled at once."""
    from rombel.formats import read_problem

    problem = read_problem(_SMALLEST.replace("MODE", "none"))
    stands = (NodeBatch("t", Purchase.ON_DEMAND, "a", 3, {"w": 2}),)
    rehearse(problem, FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(3), Decimal(0), stands), Rehearsal(0, 15, 4))


_SMALLEST = """{"format": "rombel-fit-problem/1", "currency": "EUR", "zones": ["a", "b"], "resources": ["x", "y"],
"instance_types": [{"name": "t", "allocatable": {"x": 4, "y": 4}, "offers": [
{"zone": "a", "purchase": "on-demand", "price_per_hour": "1"},
{"zone": "b", "purchase": "on-demand", "price_per_hour": "1.1"}]}],
"workloads": [{"name": "w", "replicas": 5, "request": {"x": 1, "y": 2}},
{"name": "v", "replicas": 3, "request": {"x": 2, "y": 1}}], "survive": {"zone": "MODE"}}"""
