"""Step 11. What must be bought when a zone is lost and its replicas wait for new nodes: a fitting problem of its own."""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

from rombel.model.fit_problem import FitProblem, InstanceType, Limits, NodeLoss, Offer, Survival
from rombel.model.fit_solution import FitSolution


def growing_workloads(problem: FitProblem) -> set[str]:
    """Return the names of the workloads whose lost replicas wait for new nodes."""
    return {entry.name for entry in problem.workloads if problem.promise_of(entry) is Survival.GROWING}


def without_growing(problem: FitProblem) -> FitProblem:
    """Return the problem as it is before anything is lost: what would wait for new nodes promises nothing."""

    def calm(promise: Survival | None) -> Survival | None:
        return Survival.NONE if promise is Survival.GROWING else promise

    workloads = tuple(replace(entry, survive_zone=calm(entry.survive_zone)) for entry in problem.workloads)
    return replace(problem, workloads=workloads, survive_zone=calm(problem.survive_zone) or Survival.NONE)


def growth_problem(problem: FitProblem, solution: FitSolution, zone: str, *, own_pools: bool) -> FitProblem:
    """Return what is to be fitted on new nodes once a zone is gone.

    Only the surviving zones sell, at most what their quotas leave beside the nodes that run there; with
    ``own_pools`` only the pools that the plan runs may grow. Spread and the limits on pool sizes are not asked of
    the state after the loss. Room that is free on surviving nodes is left alone: the plan stays valid whatever
    the moment puts there.
    """
    nodes: Counter[tuple[str, str, str]] = Counter()
    lost: Counter[str] = Counter()
    waiting = growing_workloads(problem)
    for batch in solution.nodes:
        # Nodes of the lost zone still count against their quota: an account does not get it back because they are dark.
        nodes[batch.instance_type, batch.purchase, batch.zone] += batch.count
        if batch.zone == zone:
            lost.update({name: number * batch.count for name, number in batch.replicas.items() if name in waiting})
    # With ``own_pools`` only pools that run are bought: a limit on their number stands.
    pools = {(name, purchase) for name, purchase, _ in nodes}

    def sold(entry: InstanceType, offer: Offer) -> bool:
        return offer.zone != zone and (not own_pools or (entry.name, offer.purchase) in pools)

    def left(entry: InstanceType, offer: Offer) -> Offer:
        if offer.most_nodes is None:
            return replace(offer, fewest_nodes=0)
        most = max(0, offer.most_nodes - nodes[entry.name, offer.purchase, offer.zone])
        return replace(offer, most_nodes=most, fewest_nodes=0)

    types = [
        replace(entry, offers=tuple(left(entry, offer) for offer in entry.offers if sold(entry, offer)))
        for entry in problem.instance_types
    ]
    workloads = tuple(
        # Spread rules are the plan's; what is bought in a hurry has to run, not to be even.
        replace(
            entry,
            replicas=lost[entry.name],
            zones=None if entry.zones is None else entry.zones - {zone},
            zone_skew=None,
            equal_zones=False,
            survive_zone=None,
            stands={},
        )
        for entry in problem.workloads
        if lost[entry.name]
    )
    return replace(
        problem,
        zones=tuple(name for name in problem.zones if name != zone),
        instance_types=tuple(entry for entry in types if entry.offers),
        workloads=workloads,
        survive_zone=Survival.NONE,
        # Limits on pools are about what runs for months.
        limits=Limits(),
    )


def without_zone(problem: FitProblem, zone: str) -> FitProblem:
    """Return what must run at least in the other zones once a zone is gone, whatever the plan was: all that is promised.

    Where this has no answer the promise cannot be kept. Old nodes and new ones together keep to the offers' quotas and to the most
    pools; quotas over several offers are not asked of the state after a loss.
    """
    # As lenient as can be: this asks only whether any plan could exist.
    workloads = tuple(
        replace(
            entry,
            zones=None if entry.zones is None else entry.zones - {zone},
            zone_skew=None,
            equal_zones=False,
            survive_zone=Survival.NONE,
            survive_nodes=NodeLoss(),
            stands={},
            node_skew=None,
            interruptible_share=1.0 if entry.interruptible_share else 0.0,
        )
        for entry in problem.workloads
        if problem.promise_of(entry) is not Survival.NONE
    )
    types = tuple(
        replace(entry, offers=tuple(replace(offer, fewest_nodes=0) for offer in entry.offers if offer.zone != zone))
        for entry in problem.instance_types
    )
    return replace(
        problem,
        zones=tuple(name for name in problem.zones if name != zone),
        instance_types=types,
        workloads=workloads,
        survive_zone=Survival.NONE,
        survive_nodes=NodeLoss(),
        limits=Limits(most_pools=problem.limits.most_pools),
    )
