"""Step 13. A fit in the figures that a planner reads: nodes, pools, workloads, room left, month's cost."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from itertools import groupby

from rombel.model.fit_problem import FitProblem, InstanceType, Purchase
from rombel.model.fit_solution import FitSolution, NodeBatch
from rombel.model.quantity import HOURS_PER_MONTH


@dataclass(frozen=True, slots=True)
class NodeSummary:
    """Nodes that are alike: amounts usable and requested, what runs on each, and by zone lost what lands on it and its amounts.

    They are numbered from ``number`` on, ``count`` of them. A large answer has hundreds of thousands of nodes and far fewer kinds.
    """

    number: int
    count: int
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
        zone_cost[node.zone] += _price(node, prices)
    # Once a zone and not once a node: it is what using the zone at all costs.
    for zone in {node.zone for node in nodes}:
        zone_cost[zone] += problem.charge_of([zone]) * HOURS_PER_MONTH
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
        room_left=_free_share(nodes) if nodes else dict.fromkeys(problem.resources, 1.0),
        workload_cost_per_month=_workload_costs(problem, nodes, prices),
        growth_per_hour={zone: _price_per_hour(prices, part) for zone, part in (solution.growing or {}).items()},
    )


def _price_per_hour(prices: Mapping[tuple[str, Purchase, str], Decimal], batches: Sequence[NodeBatch]) -> Decimal:
    """Return what new nodes cost an hour while they run."""
    month = sum((prices[b.instance_type, b.purchase, b.zone] * b.count for b in batches), Decimal(0))
    return month / HOURS_PER_MONTH


def _price(node: NodeSummary, prices: Mapping[tuple[str, Purchase, str], Decimal]) -> Decimal:
    """Return what all nodes of a kind cost a month."""
    return node.count * prices[node.instance_type, node.purchase, node.zone]


def _nodes(problem: FitProblem, solution: FitSolution) -> tuple[NodeSummary, ...]:
    usable = {entry.name: _named(problem, problem.usable(entry)) for entry in problem.instance_types}
    requests = {entry.name: entry.request for entry in problem.workloads}
    arrivals: dict[int, dict[str, Mapping[str, int]]] = {}
    # What lands is told by node number, and nodes that differ only in that are told apart.
    for zone, part in (solution.landing or {}).items():
        for entry in part:
            arrivals.setdefault(entry.node, {})[zone] = entry.replicas

    def load(replicas: Mapping[str, int]) -> dict[str, int]:
        parts = [[count * amount for amount in requests[name]] for name, count in replicas.items()]
        return _named(problem, [sum(column) for column in zip(*parts, strict=True)] or [0] * len(problem.resources))

    found, first = [], 0
    for group in solution.nodes:
        numbers = range(first, first + group.count)
        first += group.count
        # Neighbours alone are joined: numbers of a kind must be a range.
        for landing, alike in groupby(numbers, key=lambda number: arrivals.get(number, {})):
            same = list(alike)
            found.append(
                NodeSummary(
                    number=same[0],
                    count=len(same),
                    instance_type=group.instance_type,
                    purchase=group.purchase,
                    zone=group.zone,
                    usable=usable[group.instance_type],
                    requested=load(group.replicas),
                    replicas=group.replicas,
                    landing=landing,
                    arriving={zone: load(part) for zone, part in landing.items()},
                )
            )
    return tuple(found)


def _named(problem: FitProblem, amounts: Sequence[int]) -> dict[str, int]:
    return dict(zip(problem.resources, amounts, strict=True))


def _share(nodes: Sequence[NodeSummary], loads: Sequence[Mapping[str, int]]) -> dict[str, float]:
    """Return by resource which share of all nodes the loads of each kind of node take."""
    shares = {}
    for name in nodes[0].usable if nodes else ():
        total = sum(node.count * node.usable[name] for node in nodes)
        used = sum(node.count * load[name] for node, load in zip(nodes, loads, strict=True))
        shares[name] = used / total if total else 0.0
    return shares


def _free_share(nodes: Sequence[NodeSummary]) -> dict[str, float]:
    """Return the share of each resource that no promised loss would use."""
    # The worst loss for each resource by itself: a node is not hit by two zones' loss at once.
    worst = [
        {
            name: amount + max((part[name] for part in node.arriving.values()), default=0)
            for name, amount in node.requested.items()
        }
        for node in nodes
    ]
    return {name: 1 - share for name, share in _share(nodes, worst).items()}


def _pool(
    problem: FitProblem, nodes: Sequence[NodeSummary], prices: Mapping[tuple[str, Purchase, str], Decimal]
) -> PoolSummary:
    first, free = nodes[0], _free_share(nodes)
    return PoolSummary(
        instance_type=first.instance_type,
        purchase=first.purchase,
        nodes={zone: sum(node.count for node in nodes if node.zone == zone) for zone in problem.zones},
        cost_per_month=sum((_price(node, prices) for node in nodes), Decimal(0)),
        # Scarcest after the worst promised loss, as that is when a replica would find no room.
        binding=min(free, key=lambda name: free[name]),
        used=_share(nodes, [node.requested for node in nodes]),
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
        # Each replica pays for the share of its scarcest resource, so that a node is never paid for less than once.
        usable = problem.usable(types[node.instance_type])
        weights = {
            name: count
            * max((asked / have for asked, have in zip(requests[name], usable, strict=True) if have), default=0.0)
            for name, count in node.replicas.items()
        }
        total = sum(weights.values())
        for name, weight in weights.items():
            share = Decimal(weight / total) if total else Decimal(0)
            costs[name] += _price(node, prices) * share
    return costs
