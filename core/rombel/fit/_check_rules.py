"""The checker's reading of the optional rules: quotas over offers, classes apart, nodes' spread, bound replicas, lost nodes.

It shares no code with the solver, like the rest of the checker.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence

from rombel.model.fit_problem import FitProblem, InstanceType, Offer, OfferKey, Survival, Workload
from rombel.model.fit_solution import NodeBatch


def quota_rules(
    problem: FitProblem,
    types: Mapping[str, InstanceType],
    offers: Mapping[OfferKey, Offer],
    per_offer: Mapping[OfferKey, int],
) -> Iterator[str]:
    """Yield the quotas over several offers that the nodes break."""
    for quota in problem.limits.quotas:
        used = sum(
            count * quota.use(problem.resources, types[key[0]])
            for key, count in per_offer.items()
            if quota.holds_for(types[key[0]], offers[key])
        )
        if used > quota.most:
            yield f"Quota {quota.name}: {used} {quota.resource or 'nodes'} in use, the most is {quota.most}."


def apart_rules(workloads: Mapping[str, Workload], replicas: Mapping[str, int], where: str) -> Iterator[str]:
    """Yield the pairs of workloads on one node of which one stands apart from the other."""
    names = [name for name, number in replicas.items() if number]
    for name in names:
        for other in sorted(workloads[name].apart & set(names)):
            yield f"{where}: {name} and {other} share a node, and stand apart."


def node_rules(problem: FitProblem, nodes: Sequence[NodeBatch], types: Mapping[str, InstanceType]) -> Iterator[str]:
    """Yield broken rules over all nodes: the spread over nodes, and what the loss of any few nodes leaves."""
    for workload in problem.workloads:
        if workload.node_skew is not None:
            yield from _node_skew(problem, workload, nodes, types)
        loss = problem.node_promise_of(workload)
        if loss.promised and loss.how is Survival.STANDING:
            counts = sorted(entry.replicas.get(workload.name, 0) for entry in nodes for _ in range(entry.count))
            left = sum(counts[: max(0, len(counts) - loss.count)])
            if left < workload.replicas:
                yield (
                    f"{workload.name}: {left} replicas left without its {loss.count} fullest nodes, "
                    f"{workload.replicas} must stand."
                )


def _node_skew(
    problem: FitProblem, workload: Workload, nodes: Sequence[NodeBatch], types: Mapping[str, InstanceType]
) -> Iterator[str]:
    counts = []
    for entry in nodes:
        kind = types[entry.instance_type]
        sold = next(o for o in kind.offers if o.zone == entry.zone and o.purchase is entry.purchase)
        if problem.may_run(workload, kind, sold):
            counts.append(entry.replicas.get(workload.name, 0))
    if counts and workload.node_skew is not None and max(counts) - min(counts) > workload.node_skew:
        yield f"{workload.name}: counts on nodes from {min(counts)} to {max(counts)}, at most {workload.node_skew} apart."


def bound_rules(workload: Workload, counts: Counter[str]) -> Iterator[str]:
    """Yield the zones that hold fewer replicas than are bound to them."""
    for zone, fewest in workload.stands.items():
        if counts[zone] < fewest:
            yield f"{workload.name}: {counts[zone]} replicas in {zone}, {fewest} are bound there."
