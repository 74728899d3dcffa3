"""Step 13. Nodes of an answer in groups of equal ones, and where the replicas of a lost zone land, in the words of the problem."""

from __future__ import annotations

from collections import Counter
from typing import Any

import numpy as np
from numpy.typing import NDArray

from rombel.fit.problem.instance import Instance, Ints
from rombel.model.fit_solution import FitSolution, Landing, NodeBatch


def batches_of(
    instance: Instance, nodes: list[tuple[int, Ints, dict[int, Any]]]
) -> tuple[tuple[NodeBatch, ...], dict[str, tuple[Landing, ...]] | None]:
    """Return nodes, each an offer, (I,) replicas and by zone lost (I,) landings, in groups, and where each zone's replicas land."""
    # Sorted by what they are, so that equal plans are told in the same words.
    nodes = sorted(nodes, key=lambda node: (node[0], tuple((-node[1]).tolist())))
    groups: Counter[tuple[int, bytes]] = Counter()
    for offer, load, _ in nodes:
        groups[offer, load.tobytes()] += 1
    batches = tuple(_batch(instance, offer, np.frombuffer(load, np.int64), n) for (offer, load), n in groups.items())
    # A landing names a node by its place in this order, which the groups keep.
    arrivals = [landing for _, _, landing in nodes]
    return batches, landings_of(instance, arrivals) if instance.lands.any() else None


def _batch(instance: Instance, offer: int, load: Ints, count: int) -> NodeBatch:
    instance_type, sold = instance.offers[offer]
    replicas = {instance.workloads[i].name: int(load[i]) for i in np.flatnonzero(load)}
    return NodeBatch(instance_type.name, sold.purchase, sold.zone, count, replicas)


def landings_of(instance: Instance, arrivals: list[dict[int, Any]]) -> dict[str, tuple[Landing, ...]]:
    """Return where the replicas of each zone land, from what lands on each node by the zone lost."""
    result: dict[str, tuple[Landing, ...]] = {}
    for scenario, zone in enumerate(instance.problem.zones):
        entries = []
        for index, arrival in enumerate(arrivals):
            landing = arrival.get(scenario)
            if landing is not None and landing.any():
                names = {instance.workloads[i].name: int(landing[i]) for i in np.flatnonzero(landing)}
                entries.append(Landing(index, names))
        result[zone] = tuple(entries)
    return result


def nodes_of(instance: Instance, before: FitSolution) -> tuple[Ints, NDArray[np.int16], NDArray[np.int16]]:
    """Return (N,) offers, (N, I) replicas and (N, S, I) landings of another answer's nodes, those of offers that are gone left out."""
    offers = {entry.key(offer): index for index, (entry, offer) in enumerate(instance.offers)}
    names = {workload.name: i for i, workload in enumerate(instance.workloads)}
    zones, nodes = instance.problem.zones, [node for node in before.nodes for _ in range(node.count)]
    # A node of an offer that is gone cannot stand again.
    which = np.array([offers.get(node.offer, -1) for node in nodes], np.int64)
    base = np.zeros((len(nodes), len(names)), np.int16)
    land = np.zeros((len(nodes), len(zones) if instance.lands.any() else 0, len(names)), np.int16)
    index = 0
    for group in before.nodes:
        for name, number in group.replicas.items():
            if name in names:
                base[index : index + group.count, names[name]] = number
        index += group.count
    for scenario in range(land.shape[1]):
        for entry in (before.landing or {}).get(zones[scenario], ()):
            for name, number in entry.replicas.items():
                if name in names:
                    land[entry.node, scenario, names[name]] = number
    sold = which != -1
    return which[sold], base[sold], land[sold]
