"""Plans inside one another: what a level's problem becomes when its nodes must lie within those of a busier level, or hold those of a quieter one.

An autoscaler adds nodes to the pools that run and takes them away again; it does not exchange one design for another. And a replica
bound to its zone by a volume stays there at every hour.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Collection, Iterable, Mapping
from dataclasses import replace

from rombel.model.fit_problem import FitProblem, Offer, Purchase, Survival, Workload
from rombel.model.fit_solution import FitSolution, counted

Pool = tuple[str, Purchase]


def stands_in(solution: FitSolution, workload: str) -> Counter[str]:
    """Return the replicas of a workload by zone."""
    counts: Counter[str] = Counter()
    for batch in solution.nodes:
        counts[batch.zone] += batch.count * batch.replicas.get(workload, 0)
    return counts


def within(problem: FitProblem, busier: FitSolution) -> FitProblem:
    """Return the problem with at most the nodes of a busier level, and with bound replicas in zones where they stand there."""
    # Pools that do not run at the busier level may not run at the quieter one either.
    counts = counted(busier.nodes)

    def at_most(offer: Offer, name: str) -> Offer:
        return replace(offer, most_nodes=counts[name, offer.purchase, offer.zone])

    def of(workload: Workload) -> Workload:
        if not workload.bound_to_zone:
            return workload
        stands = stands_in(busier, workload.name)
        standing = problem.promise_of(workload) is Survival.STANDING
        # From where they stand when it is busier, the fullest zones give replicas up until the quieter level's are left.
        while fewer := _one_less(stands, workload, standing):
            stands = fewer
        return replace(workload, stands=+stands)  # The plus drops zones in which none is left.

    return _changed(problem, {key[:2] for key in counts}, at_most, of)


def around(problem: FitProblem, quieter: FitSolution) -> FitProblem:
    """Return the problem with at least the nodes of a quieter level, and with its bound replicas where they stand."""
    counts = counted(quieter.nodes)
    pools = {key[:2] for key in counts}

    def at_least(offer: Offer, name: str) -> Offer:
        # What runs at the quieter level goes on running, so its nodes are a least count here.
        return replace(offer, fewest_nodes=counts[name, offer.purchase, offer.zone])

    def of(workload: Workload) -> Workload:
        return replace(workload, stands=+stands_in(quieter, workload.name)) if workload.bound_to_zone else workload

    # With as many pools as are allowed no other one may begin; with room for more any may.
    full = problem.limits.most_pools is not None and len(pools) >= problem.limits.most_pools
    return _changed(problem, pools if full else None, at_least, of)


def are_nested(quieter: FitSolution, busier: FitSolution, bound: Iterable[str]) -> bool:
    """Return whether a busier level keeps the nodes of a quieter one, and every bound replica in its zone."""
    grows = counted(quieter.nodes) <= counted(busier.nodes)
    return grows and all(stands_in(quieter, name) <= stands_in(busier, name) for name in bound)


def _left(stands: Mapping[str, int]) -> int:
    """Return how many replicas are outside the fullest zone."""
    return sum(stands.values()) - max(stands.values(), default=0)


def _one_less(stands: Counter[str], workload: Workload, standing: bool) -> Counter[str] | None:
    """Return the counts with one replica less in the fullest zone from which one may go; None where none may."""
    # The fullest zone gives first; names break ties.
    for zone in sorted(stands, key=lambda zone: (-stands[zone], zone)):
        fewer = stands - Counter({zone: 1})
        enough = sum(fewer.values()) >= workload.replicas and (not standing or _left(fewer) >= workload.left)
        if stands[zone] and enough:
            return fewer
    return None


def _changed(
    problem: FitProblem,
    pools: Collection[Pool] | None,
    offer_of: Callable[[Offer, str], Offer],
    workload_of: Callable[[Workload], Workload],
) -> FitProblem:
    """Return the problem with these pools alone (None: all), every offer and every workload changed, and nothing that grows.

    What grows after a loss is bought then, within the quotas and not within another level's nodes; see ``grown``.
    """
    types = tuple(
        replace(
            entry,
            offers=tuple(
                offer_of(offer, entry.name)
                for offer in entry.offers
                if pools is None or (entry.name, offer.purchase) in pools
            ),
        )
        for entry in problem.instance_types
    )
    grows = {entry.name for entry in problem.workloads if problem.promise_of(entry) is Survival.GROWING}
    workloads = (workload_of(entry) for entry in problem.workloads)
    # New nodes after a loss are planned later, on the level's own problem.
    return replace(
        problem,
        instance_types=tuple(entry for entry in types if entry.offers),
        workloads=tuple(
            replace(entry, survive_zone=Survival.NONE) if entry.name in grows else entry for entry in workloads
        ),
    )
