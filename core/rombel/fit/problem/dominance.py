"""Step 1. Leaves out instance types that no cheapest answer needs: another one has at least as much and costs no more."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection
from dataclasses import replace

import numpy as np

from rombel.model.fit_problem import FitProblem, InstanceType


def undominated(problem: FitProblem, keep: Collection[str] = frozenset()) -> FitProblem:
    """Return the problem without dominated types; its least cost, and so every floor, stays the same.

    The types named in ``keep`` stay in any case.

    A type is dominated by one that is sold without quota, by the same kinds of purchase, wherever it is sold
    itself, at no higher price, has at least as much of every resource, may run the same workloads and takes no more
    of any quota: each of its nodes can be exchanged, which keeps every limit. O(types x front) comparisons.
    """
    problem = replace(problem, instance_types=tuple(entry for entry in problem.instance_types if entry.offers))
    # Only types that the same workloads may run on can stand in for each other.
    groups: dict[frozenset[int], list[InstanceType]] = defaultdict(list)
    for entry in problem.instance_types:
        groups[_may_run(problem, entry)].append(entry)
    # What runs in any case must stay in the problem.
    run = {entry.name for entry in problem.instance_types if any(offer.fewest_nodes for offer in entry.offers)}
    kept = {entry.name for group in groups.values() for entry in _front(problem, group)} | set(keep) | run
    workloads = tuple(
        w if w.instance_types is None else replace(w, instance_types=w.instance_types & kept) for w in problem.workloads
    )
    types = tuple(entry for entry in problem.instance_types if entry.name in kept)
    names = {entry.name for entry in types}
    quotas = tuple(
        replace(
            q,
            instance_types=None if q.instance_types is None else q.instance_types & names,
            takes={name: amount for name, amount in q.takes.items() if name in names},
        )
        for q in problem.limits.quotas
        if q.instance_types is None or q.instance_types & names
    )
    return replace(problem, instance_types=types, workloads=workloads, limits=replace(problem.limits, quotas=quotas))


def _quota_use(problem: FitProblem, entry: InstanceType) -> tuple[int, ...]:
    """Return what a node of the type takes of each quota that names it."""
    return tuple(
        quota.use(problem.resources, entry) if quota.instance_types is None or entry.name in quota.instance_types else 0
        for quota in problem.limits.quotas
    )


def _may_run(problem: FitProblem, entry: InstanceType) -> frozenset[int]:
    """Return the places of the workloads that name this type among those they may run on."""
    return frozenset(
        index
        for index, workload in enumerate(problem.workloads)
        if workload.instance_types is not None and entry.name in workload.instance_types
    )


def _front(problem: FitProblem, group: list[InstanceType]) -> list[InstanceType]:
    """Return the types of a group that no other one of it dominates; of equals the first by price, then by name."""
    sold = sorted({(offer.zone, offer.purchase) for entry in group for offer in entry.offers})
    column = {key: index for index, key in enumerate(sold)}
    width = len(problem.resources)
    rows = np.full((len(group), len(sold) + width + len(problem.limits.quotas)), np.inf)
    spare = np.zeros(len(group), bool)
    for index, entry in enumerate(group):
        for offer in entry.offers:
            # An offer that does not exist has an infinite price, which never dominates.
            rows[index, column[offer.zone, offer.purchase]] = float(offer.price_per_hour)
        rows[index, len(sold) : len(sold) + width] = [-float(amount) for amount in entry.allocatable]
        rows[index, len(sold) + width :] = _quota_use(problem, entry)
        # One with a quota may run out, so it leaves nobody out.
        spare[index] = all(offer.most_nodes is None for offer in entry.offers)
    prices = np.where(np.isfinite(rows[:, : len(sold)]), rows[:, : len(sold)], np.nan)
    mean, offers = np.nanmean(prices, axis=1), np.isfinite(prices).sum(axis=1)
    # Cheap and widely sold ones first: they leave out most of the rest.
    order = sorted(range(len(group)), key=lambda index: (mean[index], -offers[index], group[index].name))
    front = np.empty_like(rows)
    count, kept = 0, []
    for index in order:
        # All in one comparison: no dearer anywhere it is sold, no smaller in any resource, no larger in any quota.
        if count and (front[:count] <= rows[index]).all(axis=1).any():
            continue
        kept.append(index)
        if spare[index]:
            front[count] = rows[index]
            count += 1
    return [group[index] for index in sorted(kept)]
