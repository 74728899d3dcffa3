"""From a fit to what stands where: the placement that availability is computed over."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterable, Sequence

from rombel.availability.quorum import Plane
from rombel.model.demand import Demand, WorkloadKind, by_member, parted_name
from rombel.model.failure import FailureData, FailureKind
from rombel.model.fit_problem import FitProblem, Purchase, Workload
from rombel.model.fit_solution import FitSolution, Landing, NodeBatch
from rombel.model.placement import PlacedNode, PlacedWorkload, Placement


def needed_of(row: Demand, replicas: int, data: FailureData) -> int:
    """Return how many of so many replicas must serve: as stated, a majority of a stateful one, else the share of the data."""
    if row.serving:
        return min(replicas, row.serving_of(replicas))
    if row.kind is WorkloadKind.STATEFUL:
        return replicas // 2 + 1
    return max(1, -(-replicas * data.serving_percent // 100)) if replicas else 0


def start_up_of(row: Demand, data: FailureData) -> float:
    """Return the seconds until a new replica serves: its own, or those of the data."""
    return data.start_up_s if row.pod.start_up_s is None else row.pod.start_up_s


def placement_of(
    problem: FitProblem,
    solution: FitSolution,
    rows: Sequence[Demand],
    data: FailureData,
    plane: Plane | None = None,
) -> Placement:
    """Return what a fit makes stand where.

    Parameters
    ----------
    problem, solution
        The fit; its workloads may be groups placed as one.
    rows
        The demand that the problem came from; a name that it lacks is left out.
    data
        Gives the windows in which the lost are down.
    plane
        Where the control plane's members stand: a zone whose loss takes their majority lets nothing land.

    """
    known = {row.full_name: row for row in rows}
    workloads = {}
    for unit in problem.workloads:
        for name, times in parted_name(unit.name):
            if row := known.get(name):
                workloads[name] = _standing(row, unit, times, problem, data)
    blind = plane.lost_with_zones() if plane is not None else frozenset()
    landing = {zone: part for zone, part in (solution.landing or {}).items() if zone not in blind}
    growing = {zone: part for zone, part in (solution.growing or {}).items() if zone not in blind}
    return Placement(
        zones=problem.zones,
        nodes=_nodes(solution.nodes),
        workloads=workloads,
        arrivals={zone: _arrivals(part) for zone, part in landing.items()},
        grown={zone: _nodes(part) for zone, part in growing.items()},
    )


def _nodes(batches: Iterable[NodeBatch]) -> tuple[PlacedNode, ...]:
    return tuple(
        PlacedNode(
            batch.zone,
            by_member(batch.replicas),
            FailureKind.INTERRUPTED if batch.purchase is Purchase.INTERRUPTIBLE else FailureKind.NODE,
        )
        for batch in batches
        for _ in range(batch.count)
    )


def _arrivals(landings: Iterable[Landing]) -> dict[int, dict[str, int]]:
    found: dict[int, Counter[str]] = {}
    for landing in landings:
        found.setdefault(landing.node, Counter()).update(by_member(landing.replicas))
    return {node: dict(replicas) for node, replicas in found.items()}


def _standing(row: Demand, unit: Workload, times: int, problem: FitProblem, data: FailureData) -> PlacedWorkload:
    """Return a workload as it stands, with the windows that its promises give it."""
    zone, node = problem.promise_of(unit), problem.node_promise_of(unit)
    start = start_up_of(row, data)
    from_zone = math.inf if unit.bound_to_zone else data.window_s(zone, start)
    # Room for a whole lost zone is room for any one of its nodes.
    from_node = data.window_s(node.how, start) if node.promised else from_zone
    asked = max(0, unit.replicas * times - row.extra)
    return PlacedWorkload(row.full_name, needed_of(row, asked, data), from_zone, from_node)
