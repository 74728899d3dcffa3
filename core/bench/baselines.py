"""Plainer ways to place, to compare with: each ignores spread rules and promises, which only helps it."""

from __future__ import annotations

import math

import numpy as np
from scipy.optimize import Bounds, LinearConstraint, milp
from scipy.sparse import coo_matrix

from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Workload


def _fits(request: tuple[int, ...], free: list[int]) -> bool:
    return all(asked <= have for asked, have in zip(request, free, strict=True))


def _order(problem: FitProblem) -> list[Workload]:
    room = [problem.usable(kind) for kind in problem.instance_types]
    # Sizes of different resources are compared as shares of the largest node's room.
    largest = [max(1, *(have[r] for have in room)) for r in range(len(problem.resources))]
    return sorted(problem.workloads, key=lambda w: -max(a / b for a, b in zip(w.request, largest, strict=True)))


def first_fit_decreasing(problem: FitProblem) -> float | None:
    """Return the cost of the best single type in its cheapest zone with replicas placed largest first; None: none fits."""
    costs = []
    for kind in problem.instance_types:
        offers = [offer for offer in kind.offers if all(problem.may_run(w, kind, offer) for w in problem.workloads)]
        nodes = _first_fit(problem, kind) if offers else None
        if nodes is not None:
            costs.append(nodes * min(float(offer.price_per_hour) for offer in offers))
    return min(costs, default=None)


def _first_fit(problem: FitProblem, kind: InstanceType) -> int | None:
    """Return the nodes that first fit decreasing takes; None when a replica does not fit at all."""
    room = np.array(problem.usable(kind), np.int64)
    free = np.zeros((1024, len(room)), np.int64)
    count = 0
    for workload in _order(problem):
        request = np.array(workload.request, np.int64)
        if (request > room).any():
            return None
        left, most = workload.replicas, workload.most_per_node or 10**9
        # As many as fit on each before the next: replicas of one workload are alike, so their order does not matter.
        for node in np.flatnonzero((free[:count] >= request).all(axis=1)):
            times = min(left, most, *(int(f // r) for f, r in zip(free[node], request, strict=True) if r))
            free[node] -= times * request
            left -= times
        while left > 0:
            if count == len(free):
                free = np.vstack([free, np.zeros_like(free)])
            times = min(left, most, *(int(f // r) for f, r in zip(room, request, strict=True) if r))
            free[count] = room - times * request
            left -= times
            count += 1
    return count


def best_fit(problem: FitProblem) -> float:
    """Return the cost when every replica goes where least room stays, else on a new node of the type cheapest for it."""
    offers = [(kind, offer) for kind in problem.instance_types for offer in kind.offers]
    nodes: list[tuple[int, list[int], dict[str, int]]] = []
    cost = 0.0
    for workload in _order(problem):
        allowed = {n for n, (kind, offer) in enumerate(offers) if problem.may_run(workload, kind, offer)}
        left, most = workload.replicas, workload.most_per_node or 10**9
        # Sums of unlike units, bytes above all: the rule is the textbook's, not a good one.
        open_nodes = sorted((sum(free), place) for place, (offer, free, _) in enumerate(nodes) if offer in allowed)
        for _, place in open_nodes:
            _, free, held = nodes[place]
            times = _times(workload.request, free, min(left, most))
            for r, asked in enumerate(workload.request):
                free[r] -= times * asked
            held[workload.name] = times
            left -= times
        number = min(allowed, key=lambda n: _rate(problem, workload, *offers[n]))
        while left > 0:
            free = list(problem.usable(offers[number][0]))
            times = _times(workload.request, free, min(left, most))
            nodes.append(
                (number, [have - times * asked for have, asked in zip(free, workload.request, strict=True)], {})
            )
            cost += float(offers[number][1].price_per_hour)
            left -= times
    return cost


def _times(request: tuple[int, ...], free: list[int], most: int) -> int:
    return max(0, min(most, *(have // asked for have, asked in zip(free, request, strict=True) if asked)))


def _rate(problem: FitProblem, workload: Workload, kind: InstanceType, offer: Offer) -> float:
    """Return what one replica costs on a node filled with its like."""
    times = _times(workload.request, list(problem.usable(kind)), workload.most_per_node or 10**9)
    return float(offer.price_per_hour) / times if times else math.inf


def general_solver(problem: FitProblem, seconds: float) -> float | None:
    """Return the cost of the assignment model's best answer in the given time; None when none was found.

    A whole number for each class on each candidate node; as many candidates of an offer as the class' sizes could need,
    at most eight.
    """
    offers = [(kind, offer) for kind in problem.instance_types for offer in kind.offers][:60]
    # More variables than this the general solver does not even begin to branch on in the time it gets.
    slots = [pair for pair in offers for _ in range(8)]
    classes, width = problem.workloads, len(problem.resources)
    count = len(slots)
    rows, columns, values = [], [], []
    lower, upper, row = [], [], 0
    for i, workload in enumerate(classes):
        for slot in range(count):
            rows.append(row)
            columns.append(count + i * count + slot)
            values.append(1.0)
        lower.append(workload.replicas)
        upper.append(workload.replicas)
        row += 1
    for slot, (kind, _) in enumerate(slots):
        room = problem.usable(kind)
        for r in range(width):
            # Bytes beside pods: unscaled, the coefficients would span ten powers of ten.
            scale = max(room[r], 1)
            for i, workload in enumerate(classes):
                if workload.request[r]:
                    rows.append(row)
                    columns.append(count + i * count + slot)
                    values.append(workload.request[r] / scale)
            rows.append(row)
            columns.append(slot)
            values.append(-1.0)
            lower.append(-np.inf)
            upper.append(0.0)
            row += 1
    size = count * (1 + len(classes))
    most = np.ones(size)
    for i, workload in enumerate(classes):
        for slot, (kind, offer) in enumerate(slots):
            allowed = problem.may_run(workload, kind, offer)
            most[count + i * count + slot] = min(workload.most_per_node or 10**6, workload.replicas) if allowed else 0
    costs = np.zeros(size)
    costs[:count] = [float(offer.price_per_hour) for _, offer in slots]
    matrix = coo_matrix((values, (rows, columns)), shape=(row, size)).tocsr()
    found = milp(
        costs,
        constraints=LinearConstraint(matrix, lower, upper),
        integrality=np.ones(size),
        bounds=Bounds(0, most),
        options={"time_limit": seconds},
    )
    return None if found.x is None else float(found.fun)
