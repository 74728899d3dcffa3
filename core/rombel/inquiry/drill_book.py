"""The drill book of a study: how the cluster of a fit behaves, from the demand and the failure figures, and the drills that are played."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from rombel.availability.placing import needed_of, start_up_of
from rombel.inquiry.size_then_fit import World
from rombel.model.demand import Demand, parted_name
from rombel.model.drill import Behaviour, Drill, DrillBook, Timing
from rombel.model.failure import FailureData
from rombel.model.fit_problem import FitProblem, OfferKey, Workload
from rombel.model.fit_solution import FitSolution
from rombel.simulate.implied import with_implied


def drill_book(
    world: World,
    problem: FitProblem,
    solution: FitSolution,
    own: Sequence[Drill] = (),
    maxima: Mapping[OfferKey, int] | None = None,
) -> DrillBook:
    """Return the drills that promises and surroundings imply, and one's own, with all they are played by.

    Parameters
    ----------
    world
        Demand, failure figures, dependencies, journeys and the control plane.
    problem, solution
        The fit.
    own
        Drills of one's own; one with the name of an implied drill takes its place.
    maxima
        Most nodes of an offer that autoscaling may reach.

    """
    rows = {row.full_name: row for row in world.rows}
    book = DrillBook(
        drills=tuple(own),
        timing=_timing(world.data),
        behaviours={
            unit.name: behaviour
            for unit in problem.workloads
            if unit.replicas and (behaviour := _behaviour(unit, rows, world.data)) is not None
        },
        members={} if world.plane is None else world.plane.by_zone(),
        dependencies=tuple(world.dependencies),
        journeys=tuple(world.journeys),
        maxima=dict(maxima or {}),
    )
    return with_implied(problem, solution, book)


def _timing(data: FailureData) -> Timing:
    return Timing(
        data.detect_s,
        data.evict_s,
        data.place_s,
        data.node_start_s,
        data.node_start_p95_s or None,
        control_plane_s=data.control_plane_s,
        new_pool_s=data.new_pool_s,
        new_cluster_s=data.new_cluster_s,
    )


def _behaviour(unit: Workload, rows: Mapping[str, Demand], data: FailureData) -> Behaviour | None:
    """Return how the replicas of a unit behave: as the member does that asks for most; None: none of its rows is known."""
    members = [(rows[name], times) for name, times in parted_name(unit.name) if name in rows]
    if not members:
        return None
    needed = (-(-needed_of(row, max(0, unit.replicas * times - row.extra), data) // times) for row, times in members)
    budgets = [(row.budget.allowed(unit.replicas * times) // times, row.budget) for row, times in members if row.budget]
    resync = (row.partitioned.resync_seconds(unit.replicas * times) for row, times in members if row.partitioned)
    return Behaviour(
        needed=min(unit.left, max(needed)),
        start_up_s=max(start_up_of(row, data) for row, _ in members),
        budget=min(budgets, key=lambda entry: entry[0])[1] if budgets else None,
        priority=max(row.priority for row, _ in members),
        resync_s=max((seconds or 0.0 for seconds in resync), default=0.0),
    )
