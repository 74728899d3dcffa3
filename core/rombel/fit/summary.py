"""A fit in the figures that a planner reads: nodes, pools, workloads, room left, month's cost."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal

from rombel.model.fit_problem import FitProblem, InstanceType, Purchase, Vector
from rombel.model.fit_solution import FitSolution, NodeBatch
from rombel.model.quantity import HOURS_PER_MONTH


@dataclass(frozen=True, slots=True)
class NodeSummary:
    """One node: amounts usable and requested, what runs on it, and by zone lost what lands on it and its amounts."""

    number: int
    instance_type: str
    purchase: Purchase
    zone: str
    usable: Mapping[str, int]
    requested: Mapping[str, int]
    replicas: Mapping[str, int]
    landing: Mapping[str, Mapping[str, int]]
    arriving: Mapping[str, Mapping[str, int]]


@dataclass(frozen=True, slots=True)
class PoolSummary:
    """One pool: nodes by zone, month's cost, the scarcest resource, and the share of each left without use.

    ``free`` is what stays free even in the worst promised loss; kept-back room is not in it.
    """

    instance_type: str
    purchase: Purchase
    nodes: Mapping[str, int]
    cost_per_month: Decimal
    binding: str
    used: Mapping[str, float]
    free: Mapping[str, float]


@dataclass(frozen=True, slots=True)
class FitSummary:
    """All figures of one fit; money is for a month of 730 hours.

    ``growth_per_hour``: by zone that may be lost, what the new nodes cost while they run, where replicas wait for them.
    """

    cost_per_month: Decimal
    floor_per_month: Decimal
    gap: float
    nodes: tuple[NodeSummary, ...]
    pools: tuple[PoolSummary, ...]
    zone_cost_per_month: Mapping[str, Decimal]
    room_left: Mapping[str, float]
    workload_cost_per_month: Mapping[str, Decimal]
    growth_per_hour: Mapping[str, Decimal]


def summarise(problem: FitProblem, solution: FitSolution) -> FitSummary:
    """Return the figures of a solution that the checker has passed."""
    nodes = _nodes(problem, solution)
    prices = {
        (entry.name, offer.purchase, offer.zone): offer.price_per_hour * HOURS_PER_MONTH
        for entry in problem.instance_types
        for offer in entry.offers
    }
    zone_cost = dict.fromkeys(problem.zones, Decimal(0))
    for node in nodes:
        zone_cost[node.zone] += prices[node.instance_type, node.purchase, node.zone]
    pools: dict[tuple[str, Purchase], list[NodeSummary]] = {}
    for node in nodes:
        pools.setdefault((node.instance_type, node.purchase), []).append(node)
    return FitSummary(
        cost_per_month=solution.cost_per_hour * HOURS_PER_MONTH,
        floor_per_month=solution.floor_per_hour * HOURS_PER_MONTH,
        gap=solution.gap,
        nodes=nodes,
        pools=tuple(_pool(problem, part, prices) for part in pools.values()),
        zone_cost_per_month=zone_cost,
        room_left=_free_share(problem, nodes),
        workload_cost_per_month=_workload_costs(problem, nodes, prices),
        growth_per_hour={zone: _price_per_hour(prices, part) for zone, part in (solution.growing or {}).items()},
    )


def _price_per_hour(prices: Mapping[tuple[str, Purchase, str], Decimal], batches: Sequence[NodeBatch]) -> Decimal:
    """Return what new nodes cost an hour while they run."""
    month = sum((prices[b.instance_type, b.purchase, b.zone] * b.count for b in batches), Decimal(0))
    return month / HOURS_PER_MONTH


def _nodes(problem: FitProblem, solution: FitSolution) -> tuple[NodeSummary, ...]:
    types = {entry.name: entry for entry in problem.instance_types}
    arrivals: dict[int, dict[str, Mapping[str, int]]] = {}
    for zone, part in (solution.landing or {}).items():
        for entry in part:
            arrivals.setdefault(entry.node, {})[zone] = entry.replicas
    groups = [group for group in solution.nodes for _ in range(group.count)]
    return tuple(
        NodeSummary(
            number=number,
            instance_type=group.instance_type,
            purchase=group.purchase,
            zone=group.zone,
            usable=_named(problem, problem.usable(types[group.instance_type])),
            requested=_named(problem, _load(problem, group.replicas)),
            replicas=group.replicas,
            landing=arrivals.get(number, {}),
            arriving={zone: _named(problem, _load(problem, part)) for zone, part in arrivals.get(number, {}).items()},
        )
        for number, group in enumerate(groups)
    )


def _named(problem: FitProblem, amounts: Sequence[int]) -> dict[str, int]:
    return dict(zip(problem.resources, amounts, strict=True))


def _load(problem: FitProblem, replicas: Mapping[str, int]) -> Vector:
    request = {entry.name: entry.request for entry in problem.workloads}
    return tuple(
        sum(request[name][place] * count for name, count in replicas.items()) for place in range(len(problem.resources))
    )


def _worst_load(problem: FitProblem, node: NodeSummary) -> Vector:
    """Return the node's load in the loss that brings it most, resource by resource."""
    loads = [_load(problem, Counter(node.replicas) + Counter(part)) for part in node.landing.values()]
    return tuple(max(column) for column in zip(*loads, _load(problem, node.replicas), strict=True))


def _share(problem: FitProblem, nodes: Sequence[NodeSummary], loads: Sequence[Vector]) -> dict[str, float]:
    total = {name: sum(node.usable[name] for node in nodes) for name in problem.resources}
    used = [sum(column) for column in zip(*loads, strict=True)] or [0] * len(problem.resources)
    return {
        name: amount / total[name] if total[name] else 0.0 for name, amount in zip(problem.resources, used, strict=True)
    }


def _free_share(problem: FitProblem, nodes: Sequence[NodeSummary]) -> dict[str, float]:
    """Return the share of each resource that no promised loss would use."""
    worst = _share(problem, nodes, [_worst_load(problem, node) for node in nodes])
    return {name: 1 - share for name, share in worst.items()}


def _pool(
    problem: FitProblem, nodes: Sequence[NodeSummary], prices: Mapping[tuple[str, Purchase, str], Decimal]
) -> PoolSummary:
    first = nodes[0]
    used = _share(problem, nodes, [_load(problem, node.replicas) for node in nodes])
    free = _free_share(problem, nodes)
    return PoolSummary(
        instance_type=first.instance_type,
        purchase=first.purchase,
        nodes={zone: sum(node.zone == zone for node in nodes) for zone in problem.zones},
        cost_per_month=sum((prices[node.instance_type, node.purchase, node.zone] for node in nodes), Decimal(0)),
        binding=min(free, key=lambda name: free[name]),
        used=used,
        free=free,
    )


def _workload_costs(
    problem: FitProblem, nodes: Sequence[NodeSummary], prices: Mapping[tuple[str, Purchase, str], Decimal]
) -> dict[str, Decimal]:
    """Return each workload's part of the bill: a node's price by the larger of CPU and memory share requested.

    A node's price is split over its replicas in proportion to their dominant share, so the parts sum to the total of
    all nodes that carry anything.
    """
    requests = {entry.name: entry.request for entry in problem.workloads}
    types: dict[str, InstanceType] = {entry.name: entry for entry in problem.instance_types}
    costs = {entry.name: Decimal(0) for entry in problem.workloads}
    for node in nodes:
        usable = problem.usable(types[node.instance_type])
        weights = {
            name: count
            * max((asked / have for asked, have in zip(requests[name], usable, strict=True) if have), default=0.0)
            for name, count in node.replicas.items()
        }
        total = sum(weights.values())
        for name, weight in weights.items():
            share = Decimal(weight / total) if total else Decimal(0)
            costs[name] += prices[node.instance_type, node.purchase, node.zone] * share
    return costs
