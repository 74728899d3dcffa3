"""Nodes of an answer in groups of equal ones, and where the replicas of a lost zone land, in the words of the problem."""

from __future__ import annotations

from collections import Counter
from typing import Any

import numpy as np

from rombel.fit.instance import Instance, Ints
from rombel.model.fit_solution import Landing, NodeBatch


def batches_of(
    instance: Instance, nodes: list[tuple[int, Ints, dict[int, Any]]]
) -> tuple[tuple[NodeBatch, ...], dict[str, tuple[Landing, ...]] | None]:
    """Return nodes, each an offer, (I,) replicas and by zone lost (I,) landings, in groups, and where each zone's replicas land."""
    nodes = sorted(nodes, key=lambda node: (node[0], tuple((-node[1]).tolist())))
    groups: Counter[tuple[int, bytes]] = Counter()
    for offer, load, _ in nodes:
        groups[offer, load.tobytes()] += 1
    batches = tuple(_batch(instance, offer, np.frombuffer(load, np.int64), n) for (offer, load), n in groups.items())
    arrivals = [landing for _, _, landing in nodes]
    return batches, landings_of(instance, arrivals) if instance.lands.any() else None


def _batch(instance: Instance, offer: int, load: Ints, count: int) -> NodeBatch:
    instance_type, sold = instance.offers[offer]
    replicas = {instance.workloads[i].name: int(load[i]) for i in np.flatnonzero(load)}
    return NodeBatch(instance_type.name, sold.purchase, sold.zone, count, replicas)


def landings_of(instance: Instance, arrivals: list[dict[int, Any]]) -> dict[str, tuple[Landing, ...]]:
    """Return where the replicas of each zone land, from what lands on each node by the zone lost."""
    result: dict[str, tuple[Landing, ...]] = {}
    for state, zone in enumerate(instance.problem.zones):
        entries = []
        for place, arrival in enumerate(arrivals):
            landing = arrival.get(state)
            if landing is not None and landing.any():
                names = {instance.workloads[i].name: int(landing[i]) for i in np.flatnonzero(landing)}
                entries.append(Landing(place, names))
        result[zone] = tuple(entries)
    return result
