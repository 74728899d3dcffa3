"""Step 13. How evenly nodes are filled, by a weighted measure of their resources."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from rombel.errors import refuse
from rombel.fit.problem.instance import Floats
from rombel.model.fit_problem import FitProblem

UNWEIGHTED = "pods"
"""A resource that does not count unless it is asked for."""


@dataclass(frozen=True, slots=True)
class Evenness:
    """Fullness over nodes, as shares: the emptiest, the mean, the fullest, and the standard deviation."""

    least: float
    mean: float
    most: float
    deviation: float


def even_weight(problem: FitProblem, weights: Mapping[str, float] | None) -> Floats:
    """Return (R,) the weight of each resource; None: all alike, but for pods.

    Raises
    ------
    InputRefused
        When a weight is of no resource of the problem, negative or no number.

    """
    for name, weight in (weights or {}).items():
        if name not in problem.resources or not (math.isfinite(weight) and weight >= 0):
            fix = f"Give each of {', '.join(problem.resources)} a number from 0 on, or leave it out."
            raise refuse("fit.evenness", f"evenness.{name}", f"'{name}' cannot be weighted by {weight}.", fix)
    # Pods are counted, not filled: evenness by them would spread tiny replicas for nothing.
    chosen = {name: 1.0 for name in problem.resources if name != UNWEIGHTED} if weights is None else weights
    return np.array([chosen.get(name, 0.0) for name in problem.resources], np.float64)


def evenness(problem: FitProblem, nodes: Sequence[tuple[str, Mapping[str, int]]], weight: Floats) -> Evenness:
    """Return how evenly nodes are filled.

    Parameters
    ----------
    problem
        With the types and requests.
    nodes
        Instance type and replicas of each; at least one.
    weight
        (R,) not all zero.

    """
    usable = {entry.name: np.array(problem.usable(entry), float) for entry in problem.instance_types}
    request = {entry.name: np.array(entry.request, float) for entry in problem.workloads}
    nothing, share = np.zeros(len(problem.resources)), weight / weight.sum()
    full = []
    for name, replicas in nodes:
        load = sum((request[workload] * count for workload, count in replicas.items()), start=nothing)
        # A resource of which a node has none is neither full nor empty.
        full.append(float(share @ np.divide(load, usable[name], out=nothing.copy(), where=usable[name] > 0)))
    return Evenness(min(full), float(np.mean(full)), max(full), float(np.std(full)))
