"""What stands where, as availability sees it: nodes with replicas, and what happens to them when something is lost."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from rombel.model.failure import FailureKind


@dataclass(frozen=True, slots=True)
class PlacedNode:
    """A node in its zone with the replicas on it; ``kind`` says by whose failure data it fails."""

    zone: str
    replicas: Mapping[str, int]
    kind: FailureKind = FailureKind.NODE


@dataclass(frozen=True, slots=True)
class PlacedWorkload:
    """A workload as it stands.

    Parameters
    ----------
    needed
        Replicas that must serve.
    zone_window_s
        Until the replicas of a lost zone serve elsewhere; infinite: they wait for the zone.
    node_window_s
        Until the replicas of a lost node serve elsewhere; infinite: they wait for the node.

    """

    name: str
    needed: int
    zone_window_s: float = math.inf
    node_window_s: float = math.inf


@dataclass(frozen=True, slots=True)
class Placement:
    """All nodes, all workloads, and what arrives where after the loss of a zone.

    Parameters
    ----------
    zones
        Of the region, the empty ones too.
    nodes
        In the order that ``arrivals`` counts.
    workloads
        By name.
    arrivals
        By lost zone and number of a node: the replicas that land there.
    grown
        By lost zone: new nodes with the replicas that waited for them.

    """

    zones: tuple[str, ...]
    nodes: tuple[PlacedNode, ...]
    workloads: Mapping[str, PlacedWorkload]
    arrivals: Mapping[str, Mapping[int, Mapping[str, int]]] = field(default_factory=dict)
    grown: Mapping[str, tuple[PlacedNode, ...]] = field(default_factory=dict)

    def of(self, names: Sequence[str]) -> Placement:
        """Return the same with these workloads alone."""
        kept = set(names)

        def only(replicas: Mapping[str, int]) -> dict[str, int]:
            return {name: count for name, count in replicas.items() if name in kept}

        def nodes(rows: Sequence[PlacedNode]) -> tuple[PlacedNode, ...]:
            return tuple(PlacedNode(row.zone, only(row.replicas), row.kind) for row in rows)

        arrivals = {
            zone: {number: only(replicas) for number, replicas in part.items()} for zone, part in self.arrivals.items()
        }
        workloads = {name: self.workloads[name] for name in names}
        return Placement(
            self.zones, nodes(self.nodes), workloads, arrivals, {z: nodes(r) for z, r in self.grown.items()}
        )

    def by_zone(self, name: str) -> dict[str, list[int]]:
        """Return by zone how many replicas of a workload stand on each node that has any, most first."""
        found: dict[str, list[int]] = {zone: [] for zone in self.zones}
        for node in self.nodes:
            if node.replicas.get(name):
                found[node.zone].append(node.replicas[name])
        return {zone: sorted(counts, reverse=True) for zone, counts in found.items()}

    def replicas(self, name: str) -> int:
        """Return how many replicas of a workload stand."""
        return sum(node.replicas.get(name, 0) for node in self.nodes)
