"""The loss of nodes that hurts most, searched: all different losses compared by a measure, the worst of them played.

Nodes with the same offer and the same replicas are alike, so losses are combinations of kinds of nodes and not of nodes. The measure is what
the lost nodes' replicas request against the room left on the others, in the scarcest resource. It is a measure and no proof: what is told is
the worst loss that was found among those played.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from dataclasses import replace
from itertools import combinations_with_replacement, islice
from math import comb

import numpy as np

from rombel.model.drill import Drill, DrillKind
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.simulate.cluster import Cluster, Ints

PLAYED = 6
COMPARED = 20_000


def candidates(problem: FitProblem, solution: FitSolution, drill: Drill) -> tuple[str, list[Drill]]:
    """Return how it was searched, and the drills to play; the drill itself where nothing has to be searched."""
    number = next(
        (n for n, s in enumerate(drill.steps) if s.kind is DrillKind.NODES and s.worst and not s.chosen), None
    )
    if number is None:
        return "", [drill]
    step = drill.steps[number]
    # Later losses take the nodes that stand first: the worst of them depends on what stands by then.
    later = [replace(s, worst=False) if s.kind is DrillKind.NODES else s for s in drill.steps[number + 1 :]]
    cluster = Cluster(problem, solution)
    kinds: dict[bytes, list[int]] = {}
    for node in range(len(cluster.nodes)):
        kinds.setdefault(cluster.offer[node].tobytes() + cluster.bound[node].tobytes(), []).append(node)
    alike = list(kinds.values())
    # Enough for pairs on hundreds of different nodes; beyond it the words say that only the first were compared.
    losses = list(islice(_losses(alike, step.count), COMPARED))
    found = sorted(losses, key=lambda loss: (-_measure(cluster, loss), loss))[:PLAYED]
    every = "all" if len(losses) < COMPARED else "the first"
    words = (
        f"{comb(len(cluster.nodes), step.count)} losses of {step.count} of {len(cluster.nodes)} nodes; {every} {len(losses)} that differ "
        f"compared by what they request against the room left, {len(found)} played, the worst of these told"
    )
    steps = [(*drill.steps[:number], replace(step, chosen=loss), *later) for loss in found]
    return words, [replace(drill, steps=entry) for entry in steps]


def _losses(alike: list[list[int]], count: int) -> Iterator[tuple[int, ...]]:
    """Yield the different losses of so many nodes, the first nodes of each kind standing for all."""
    for kinds in combinations_with_replacement(range(len(alike)), count):
        counts = Counter(kinds)
        if all(number <= len(alike[kind]) for kind, number in counts.items()):
            yield tuple(sorted(node for kind, number in counts.items() for node in alike[kind][:number]))


def _measure(cluster: Cluster, loss: tuple[int, ...]) -> float:
    """Return what is lost against the room left, in the resource where that is most."""
    nodes = list(loss)
    lost: Ints = (cluster.bound[nodes] @ cluster.request).sum(axis=0)
    room = cluster.free.sum(axis=0) - cluster.free[nodes].sum(axis=0)
    return float((lost / np.maximum(room, 1)).max())
