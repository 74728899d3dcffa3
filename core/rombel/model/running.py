"""What runs already: the nodes of a cluster, and which workload has how many replicas on each."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field

from rombel.model.pod import Amounts


@dataclass(frozen=True, slots=True)
class RunningNode:
    """One node: its type and zone as its labels say (empty: they do not), and what pods may use of it."""

    name: str
    instance_type: str
    zone: str
    allocatable: Amounts
    most_pods: int
    labels: Mapping[str, str] = field(default_factory=dict)
    taints: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Running:
    """A listing: nodes, replicas by node and workload, and pods that wait for a node."""

    nodes: tuple[RunningNode, ...]
    replicas: Mapping[str, Mapping[str, int]]
    waiting: Mapping[str, int] = field(default_factory=dict)

    def counts(self) -> dict[tuple[str, str], int]:
        """Return the nodes of each type in each zone."""
        return dict(Counter((node.instance_type, node.zone) for node in self.nodes))
