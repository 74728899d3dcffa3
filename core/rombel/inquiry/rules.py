"""The promises and limits of a problem, each with the problem as it would be without it."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass, replace
from typing import Any

from rombel.model.compilation import asked_for
from rombel.model.fit_problem import FitProblem, NodeLoss, Offer, Purchase, Survival, Workload
from rombel.model.study import HEADROOM
from rombel.model.words import SURVIVED_BY

Change = Callable[[FitProblem], FitProblem]


@dataclass(frozen=True, slots=True)
class Rule:
    """A promise or limit that a problem states.

    Parameters
    ----------
    key
        What kind it is; for a rule of one workload followed by its name.
    words
        What it asks, in the planner's terms.
    dropped
        Returns a problem without it, all else equal.

    """

    key: str
    words: str
    dropped: Change


def rules_of(problem: FitProblem) -> list[Rule]:
    """Return the promises and limits of a problem, those of many workloads as one."""
    return [*_of_study(problem), *_of_workloads(problem)]


def rules_apart(problem: FitProblem) -> list[Rule]:
    """Return the promises and limits of a problem, each workload's on its own."""
    rules = list(_of_study(problem))
    # Each workload by itself as a problem of one, so that its own rules can be named.
    for workload in asked_for(problem):
        one = replace(problem, workloads=(workload,), survive_zone=Survival.NONE, survive_nodes=NodeLoss())
        for rule in _of_workloads(one):
            words = f"{workload.name}: {_KINDS[rule.key].alone}"
            rules.append(Rule(f"{rule.key} {workload.name}", words, _for_one(workload.name, rule.key)))
    return rules


def _of_study(problem: FitProblem) -> Iterator[Rule]:
    promises = {problem.promise_of(entry) for entry in problem.workloads} - {Survival.NONE}
    # Several ways to survive may be promised at once; they are one promise to drop.
    if promises:
        words = f"survive the loss of any one zone, by {' or '.join(sorted(SURVIVED_BY[how] for how in promises))}"
        yield Rule("survive_zone", words, _no_zone_loss)
    losses = {loss for entry in problem.workloads if (loss := problem.node_promise_of(entry)).promised}
    if losses:
        most = max(losses, key=lambda loss: loss.count)
        yield Rule(
            "survive_nodes", f"survive the loss of any {most.count} nodes, by {SURVIVED_BY[most.how]}", _no_node_loss
        )
    limits = problem.limits
    stated = (
        # A least count of one node is no limit.
        ("most_pools", limits.most_pools, f"at most {limits.most_pools} pools"),
        ("fewest_nodes_per_pool", _above_one(limits.fewest_nodes_per_pool), f"at least {limits.fewest_nodes_per_pool} nodes in a pool"),
        ("fewest_nodes_per_zone", _above_one(limits.fewest_nodes_per_zone), f"at least {limits.fewest_nodes_per_zone} nodes of a pool in every zone it runs in"),
        ("equal_zones", limits.equal_zones or None, "as many nodes of a pool in every zone"),
    )  # fmt: skip
    for key, value, words in stated:
        if value is not None:
            yield Rule(key, words, _without_limit(key))
    if limits.headroom:
        parts = (f"{percent} % of {name.split('_')[0]}" for name, percent in sorted(limits.headroom.items()))
        yield Rule("headroom", f"keep {' and '.join(parts)} free on every node", _without_headroom)
    # Room by replicas is a workload of the problem, and is told as the promise it stands for.
    kept = sum(entry.replicas for entry in problem.workloads if entry.name == HEADROOM)
    if kept:
        words = f"room in every zone for more replicas of the largest workload, {kept} in all"
        yield Rule("headroom_replicas", words, _without_room)
    for quota in limits.quotas:
        words = f"quota {quota.name}: at most {quota.most} {quota.unit}"
        yield Rule(f"quota {quota.name}", words, _without_quota(quota.name))
    if any(offer.most_nodes is not None for entry in problem.instance_types for offer in entry.offers):
        yield Rule("offer_quotas", "the provider's quotas of single offers", _no_offer_quotas)


def _above_one(limit: int | None) -> int | None:
    return limit if limit is not None and limit > 1 else None


@dataclass(frozen=True, slots=True)
class _Kind:
    """A rule that workloads state for themselves: whether one does, its words for all and for one, and without it."""

    stated: Callable[[Workload], bool]
    together: str
    alone: str
    without: Callable[[Workload], Workload]


_KINDS = {
    "spread": _Kind(
        lambda w: w.zone_skew is not None or w.equal_zones,
        "even spread over the zones",
        "even spread over the zones",
        lambda w: replace(w, zone_skew=None, equal_zones=False),
    ),
    "most_per_node": _Kind(
        lambda w: w.most_per_node is not None,
        "only so many replicas on one node",
        "only so many replicas on one node",
        lambda w: replace(w, most_per_node=None),
    ),
    "node_skew": _Kind(
        lambda w: w.node_skew is not None,
        "even spread over the nodes",
        "even spread over the nodes",
        lambda w: replace(w, node_skew=None),
    ),
    "apart": _Kind(
        lambda w: bool(w.apart),
        "workloads kept apart",
        "kept apart from others",
        lambda w: replace(w, apart=frozenset()),
    ),
    "bound": _Kind(
        lambda w: w.bound_to_zone or bool(w.stands),
        "replicas bound to their zone by a volume",
        "bound to its zone by a volume",
        lambda w: replace(w, bound_to_zone=False, stands={}),
    ),
    "zones": _Kind(
        lambda w: w.zones is not None,
        "workloads that may run in some zones only",
        "may run in some zones only",
        lambda w: replace(w, zones=None),
    ),
    "types": _Kind(
        lambda w: w.instance_types is not None,
        "nodes with certain labels or architecture",
        "nodes with certain labels or architecture",
        lambda w: replace(w, instance_types=None),
    ),
    "interruptible": _Kind(
        lambda w: w.interruptible_share < 1,
        "only some replicas on interruptible nodes",
        "only some replicas on interruptible nodes",
        lambda w: replace(w, interruptible_share=1.0),
    ),
}


def _of_workloads(problem: FitProblem) -> Iterator[Rule]:
    for key, kind in _KINDS.items():
        count = sum(kind.stated(entry) for entry in asked_for(problem))
        # Interruptible shares matter only where interruptible nodes are for sale.
        if count and (key != "interruptible" or _sells_interruptible(problem)):
            words = f"{kind.together}: {count} workload{'s' * (count != 1)}"
            yield Rule(key, words, _for_all(kind))


def _sells_interruptible(problem: FitProblem) -> bool:
    offers = (offer for entry in problem.instance_types for offer in entry.offers)
    return any(offer.purchase is Purchase.INTERRUPTIBLE for offer in offers)


def _for_all(kind: _Kind) -> Change:
    def dropped(problem: FitProblem) -> FitProblem:
        workloads = (entry if entry.name == HEADROOM else kind.without(entry) for entry in problem.workloads)
        return replace(problem, workloads=tuple(workloads))

    return dropped


def _for_one(name: str, key: str) -> Change:
    def dropped(problem: FitProblem) -> FitProblem:
        without = _KINDS[key].without
        return replace(
            problem, workloads=tuple(without(entry) if entry.name == name else entry for entry in problem.workloads)
        )

    return dropped


def _no_zone_loss(problem: FitProblem) -> FitProblem:
    workloads = tuple(replace(entry, survive_zone=None) for entry in problem.workloads)
    return replace(problem, workloads=workloads, survive_zone=Survival.NONE)


def _no_node_loss(problem: FitProblem) -> FitProblem:
    workloads = tuple(replace(entry, survive_nodes=None) for entry in problem.workloads)
    return replace(problem, workloads=workloads, survive_nodes=NodeLoss())


def _without_limit(key: str) -> Change:
    def dropped(problem: FitProblem) -> FitProblem:
        limits: Any = {key: False if key == "equal_zones" else None}
        return replace(problem, limits=replace(problem.limits, **limits))

    return dropped


def _without_headroom(problem: FitProblem) -> FitProblem:
    return replace(problem, limits=replace(problem.limits, headroom={}))


def _without_room(problem: FitProblem) -> FitProblem:
    return replace(problem, workloads=asked_for(problem))


def _without_quota(name: str) -> Change:
    def dropped(problem: FitProblem) -> FitProblem:
        quotas = tuple(quota for quota in problem.limits.quotas if quota.name != name)
        return replace(problem, limits=replace(problem.limits, quotas=quotas))

    return dropped


def _no_offer_quotas(problem: FitProblem) -> FitProblem:
    def free(offer: Offer) -> Offer:
        return replace(offer, most_nodes=None)

    types = tuple(
        replace(entry, offers=tuple(free(offer) for offer in entry.offers)) for entry in problem.instance_types
    )
    return replace(problem, instance_types=types)
