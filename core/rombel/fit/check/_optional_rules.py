"""Step 12. The checker's reading of the optional rules: quotas over offers, classes apart, nodes' spread, bound replicas, lost nodes.

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
            yield f"Quota {quota.name}: {used} {quota.unit} in use, the most is {quota.most}."


def apart_rules(workloads: Mapping[str, Workload], replicas: Mapping[str, int], where: str) -> Iterator[str]:
    """Yield the pairs of workloads on one node of which one stands apart from the other."""
    # Symmetric whichever of the two states it, because both directions are looked at.
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
            # The worst loss takes the nodes that carry most of this workload.
            counts = sorted(entry.replicas.get(workload.name, 0) for entry in nodes for _ in range(entry.count))
            left = sum(counts[: max(0, len(counts) - loss.count)])
            if left < workload.left:
                yield (
                    f"{workload.name}: {left} replicas left without its {loss.count} fullest nodes, "
                    f"{workload.left} must stand."
                )
    yield from _landing_after_nodes(problem, nodes, types)


def _landing_after_nodes(
    problem: FitProblem, nodes: Sequence[NodeBatch], types: Mapping[str, InstanceType]
) -> Iterator[str]:
    """Yield the nodes whose loss, with others up to the count promised, leaves replicas without a landing.

    One lost node may scatter over the others. Of k lost ones the checker asks that each has hosts, other nodes that could take
    everything from it: k that lose nothing themselves, or 2k - 1 of any kind. Either way each of the lost finds one of its own: of
    k empty hosts those that are lost need none themselves, and of 2k - 1 at most k - 1 are lost, which leaves k for k.
    """
    workloads = {w.name: w for w in problem.workloads}
    promised = {
        w.name: loss.count
        for w in problem.workloads
        if (loss := problem.node_promise_of(w)).promised and loss.how is Survival.LANDING
    }
    count = max(promised.values(), default=0)
    for number, node in enumerate(nodes):
        lost = {name: amount for name, amount in node.replicas.items() if amount and name in promised}
        if count == 0 or not lost:
            continue
        # Nodes of the same kind count as hosts too, but for the lost one itself.
        others = [(entry, entry.count - (index == number)) for index, entry in enumerate(nodes)]
        hosts = [
            (entry, left)
            for entry, left in others
            if left and _lands_whole(problem, workloads, types, entry, lost, node.zone)
        ]
        empty = sum(left for entry, left in hosts if not any(entry.replicas.get(name) for name in promised))
        # Two lost nodes may share their only host that is left, so as many hosts as lost nodes are not enough.
        enough = empty >= count or sum(left for _, left in hosts) >= 2 * count - 1
        if not enough and not (count == 1 and _lands_apart(problem, workloads, types, others, lost, node.zone)):
            yield (
                f"nodes[{number}]: lost with any {count - 1} others, its replicas find no room to land."
                if count > 1
                else (f"nodes[{number}]: lost, its replicas find no room to land.")
            )


def _lands_whole(
    problem: FitProblem,
    workloads: Mapping[str, Workload],
    types: Mapping[str, InstanceType],
    node: NodeBatch,
    lost: Mapping[str, int],
    zone: str,
) -> bool:
    held = dict(node.replicas)
    return all(
        _land_one(problem, workloads, types, node, held, name, zone)
        for name, number in lost.items()
        for _ in range(number)
    )


def _land_one(
    problem: FitProblem,
    workloads: Mapping[str, Workload],
    types: Mapping[str, InstanceType],
    node: NodeBatch,
    held: dict[str, int],
    name: str,
    zone: str,
) -> bool:
    """Put one more replica, lost in a zone, on a node where every rule of the node allows it; return whether it did."""
    workload, kind = workloads[name], types[node.instance_type]
    if workload.bound_to_zone and node.zone != zone:
        return False
    sold = next(o for o in kind.offers if o.zone == node.zone and o.purchase is node.purchase)
    if not problem.may_run(workload, kind, sold):
        return False
    after = {**held, name: held.get(name, 0) + 1}
    if workload.most_per_node is not None and after[name] > workload.most_per_node:
        return False
    for index, usable in enumerate(problem.usable(kind)):
        if sum(workloads[other].request[index] * number for other, number in after.items()) > usable:
            return False
    if any(True for _ in apart_rules(workloads, after, "")):
        return False
    held[name] = after[name]
    return True


def _lands_apart(
    problem: FitProblem,
    workloads: Mapping[str, Workload],
    types: Mapping[str, InstanceType],
    others: Sequence[tuple[NodeBatch, int]],
    lost: Mapping[str, int],
    zone: str,
) -> bool:
    """Return whether the replicas of one node lost in a zone find places on several others, in one of a few orders."""
    # A replica can use no more nodes of a kind than there are replicas, so the list stays short.
    room = [(entry, dict(entry.replicas)) for entry, left in others for _ in range(min(left, sum(lost.values())))]
    # Several orders, the largest in one resource first: a packing that fails one way may work another.
    for index in range(len(problem.resources)):
        held = [dict(own) for _, own in room]
        order = sorted(lost, key=lambda name: (-workloads[name].request[index], name))
        if all(
            any(
                _land_one(problem, workloads, types, entry, own, name, zone)
                for (entry, _), own in zip(room, held, strict=True)
            )
            for name in order
            for _ in range(lost[name])
        ):
            return True
    return False


def _node_skew(
    problem: FitProblem, workload: Workload, nodes: Sequence[NodeBatch], types: Mapping[str, InstanceType]
) -> Iterator[str]:
    counts = []
    # Only nodes that may run it are domains of the spread, as the published rule has it.
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
