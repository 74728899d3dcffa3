"""Sizing that ends in a fit: candidates from a fit, sizes for targets, the fit of the sized problem, its exact answer."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from rombel.availability import Evaluation, Placement, Plane, evaluate, needed_of, placement_of
from rombel.availability.frontier import budgets, unpromised
from rombel.availability.obstacles import Obstacles, obstacles
from rombel.availability.options import Candidate
from rombel.availability.sizing import Sizing, size
from rombel.availability.standing import start_up_of
from rombel.fit import FitObserver, FitParams, fit
from rombel.fit.summary import summarise
from rombel.model.demand import Demand, Size, grown_most, parted_name, with_sizes
from rombel.model.failure import FailureData
from rombel.model.fit_problem import FitProblem, Workload
from rombel.model.fit_solution import FitSolution, FitStatus
from rombel.model.journey import Dependency, Journey, links_of
from rombel.model.quantity import HOURS_PER_MONTH

ROUNDS = 3
"""Most fits of one sizing: where nodes are shared by more than was thought, the targets are tightened and fitted again."""


@dataclass(frozen=True)
class World:
    """What availability is computed from beside the fit."""

    rows: Sequence[Demand]
    data: FailureData
    dependencies: Sequence[Dependency]
    journeys: Sequence[Journey]
    plane: Plane | None = None

    def placement(
        self, problem: FitProblem, solution: FitSolution, sizes: Mapping[str, Size] | None = None
    ) -> Placement:
        """Return what a fit makes stand where, of the workloads that the journeys need."""
        rows = with_sizes(self.rows, sizes or {})
        whole = placement_of(problem, solution, rows, self.data, self.plane)
        asked = {name for journey in self.journeys for name in links_of(journey.chain)}
        return whole.of([name for name in whole.workloads if name in asked])

    def evaluation(
        self, problem: FitProblem, solution: FitSolution, sizes: Mapping[str, Size] | None = None
    ) -> Evaluation:
        """Return the tables over a fit."""
        return evaluate(self.placement(problem, solution, sizes), self.data, self.dependencies)


@dataclass(frozen=True, slots=True)
class SizedFit:
    """Sizes and what they come to.

    Parameters
    ----------
    sizing
        What was chosen before any fit, at the prices of the fit that it started from.
    problem, solution
        The sized problem and its fit.
    away
        By journey its exact share of time away over that fit.
    obstacles
        For targets out of reach: why, and the ways out.
    rounds
        Fits made.

    """

    sizing: Sizing
    problem: FitProblem
    solution: FitSolution
    away: Mapping[str, float]
    obstacles: tuple[Obstacles, ...] = ()
    rounds: int = 1

    @property
    def sizes(self) -> Mapping[str, Size]:
        """Return the sizes chosen."""
        return self.sizing.sizes


def candidates_of(problem: FitProblem, solution: FitSolution, world: World) -> list[Candidate]:
    """Return the workloads of the journeys as they are, each at the price that a replica has in the fit."""
    spent = summarise(problem, solution).workload_cost_per_month
    rows = {row.full_name: row for row in world.rows}
    placement = world.placement(problem, solution)
    found = []
    for unit in problem.workloads:
        for name, times in parted_name(unit.name):
            if name in placement.workloads:
                price = spent.get(unit.name, Decimal(0)) / HOURS_PER_MONTH / max(1, unit.replicas * times)
                found.append(_candidate(rows[name], unit, times, float(price), problem, placement, world.data))
    return found


def _candidate(
    row: Demand, unit: Workload, times: int, price: float, problem: FitProblem, placement: Placement, data: FailureData
) -> Candidate:
    asked = max(1, unit.replicas * times - row.extra)
    heaps = [count for counts in placement.by_zone(row.full_name).values() for count in counts]
    return Candidate(
        name=row.full_name,
        replicas=asked,
        needed=needed_of(row, asked, data),
        price=price,
        at_least=problem.promise_of(unit),
        bound=unit.bound_to_zone,
        per_node=max(heaps, default=1),
        start_up_s=start_up_of(row, data),
    )


def resized(problem: FitProblem, sizes: Mapping[str, Size], rows: Sequence[Demand]) -> FitProblem:
    """Return the problem with its workloads as sized; what was sized before is replaced."""
    before = {row.full_name: row.extra for row in rows}

    def of(unit: Workload) -> Workload:
        members = [(name, times) for name, times in parted_name(unit.name) if name in sizes]
        if not members:
            return unit
        size = grown_most(sizes[name] for name, _ in members)
        assert size is not None
        extra = max(-(-size.extra // times) for _, times in members)
        known = max(-(-before.get(name, 0) // times) for name, times in members)
        return replace(
            unit, replicas=unit.replicas - known + extra, survive_zone=size.how, zone_skew=unit.zone_skew or 1
        )

    return replace(problem, workloads=tuple(of(unit) for unit in problem.workloads))


def size_and_fit(
    problem: FitProblem,
    solution: FitSolution,
    world: World,
    candidates: Sequence[Candidate],
    *,
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
    on_sized: Callable[[Sizing], None] | None = None,
) -> SizedFit:
    """Return sizes that meet the journeys' targets, with the fit that they lead to and what it really comes to.

    Parameters
    ----------
    problem, solution
        The fit that it starts from.
    world, candidates
        What is promised, and what may grow.
    seed, params, observer
        Of every fit.
    on_sized
        Is called with the sizes before they are fitted.

    """
    aims = list(world.journeys)
    for number in range(1, ROUNDS + 1):
        sizing = size(candidates, aims, world.dependencies, problem.zones, world.data)
        if on_sized is not None:
            on_sized(sizing)
        changed = resized(problem, sizing.sizes, world.rows)
        found = fit(changed, seed=seed, params=params, observer=observer)
        if not found.found:
            return SizedFit(sizing, changed, found, {}, rounds=number)
        evaluation = world.evaluation(changed, found, sizing.sizes)
        away = {journey.name: evaluation.away_of(journey)[0] for journey in world.journeys}
        beyond = {entry.journey for entry in sizing.unmet}
        missed = {j.name for j in world.journeys if away[j.name] > j.allowed and j.name not in beyond}
        if not missed or found.status is FitStatus.STOPPED or number == ROUNDS:
            break
        aims = [
            aim.allowing(aim.allowed * goal.allowed / away[aim.name] * 0.98) if aim.name in missed else aim
            for aim, goal in zip(aims, world.journeys, strict=True)
        ]
    why = tuple(
        obstacles(candidates, journey, world.dependencies, problem.zones, world.data)
        for journey in world.journeys
        if journey.name in beyond
    )
    return SizedFit(sizing, changed, found, away, why, number)


@dataclass(frozen=True, slots=True)
class FrontierPoint:
    """One computed fit: its place among the budgets, its cost an hour and floor, and what each journey is away."""

    place: int
    cost_per_hour: Decimal
    floor_per_hour: Decimal
    away: Mapping[str, float]
    replicas: int
    sizes: Mapping[str, Size] = field(default_factory=dict)


def frontier_point(
    place: int,
    problem: FitProblem,
    solution: FitSolution,
    world: World,
    *,
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
) -> FrontierPoint | None:
    """Return one point of the frontier of cost against availability; None where its problem has no fit.

    The budgets run from what comes for nothing to the least that can be had; a workload of a journey promises only what
    its budget needs, all others stay as they are.
    """
    free = unpromised(candidates_of(problem, solution, world))
    aims = budgets(free, world.journeys, world.dependencies, problem.zones, world.data)[place]
    sizing = size(free, aims, world.dependencies, problem.zones, world.data)
    changed = resized(problem, sizing.sizes, world.rows)
    found = fit(changed, seed=seed, params=params, observer=observer)
    if not found.found:
        return None
    evaluation = world.evaluation(changed, found, sizing.sizes)
    away = {journey.name: evaluation.away_of(journey)[0] for journey in world.journeys}
    count = sum(batch.count * sum(batch.replicas.values()) for batch in found.nodes)
    return FrontierPoint(place, found.cost_per_hour, found.floor_per_hour, away, count, sizing.sizes)
