"""What runs already: the nodes of a cluster, and which workload has how many replicas on each."""

from __future__ import annotations

from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field

from rombel.model.demand import Demand
from rombel.model.pod import Amounts


@dataclass(frozen=True, slots=True)
class RunningNode:
    """One node: its type and zone as its labels say (empty: they do not), and what pods may use of it.

    ``version`` is what it runs (empty: it does not say), ``ready`` whether it takes pods, ``pod_range`` where its pods have addresses from.
    """

    name: str
    instance_type: str
    zone: str
    allocatable: Amounts
    most_pods: int
    labels: Mapping[str, str] = field(default_factory=dict)
    taints: tuple[str, ...] = ()
    version: str = ""
    ready: bool = True
    pod_range: str = ""


@dataclass(frozen=True, slots=True)
class RunningWorkload:
    """What one replica of a workload requests and is limited to; nothing: none is stated."""

    request: Amounts
    limit: Amounts = field(default_factory=Amounts)


@dataclass(frozen=True, slots=True)
class Running:
    """A listing: nodes, replicas by node and workload, pods that wait for a node, and what replicas request as far as it is told."""

    nodes: tuple[RunningNode, ...]
    replicas: Mapping[str, Mapping[str, int]]
    waiting: Mapping[str, int] = field(default_factory=dict)
    workloads: Mapping[str, RunningWorkload] = field(default_factory=dict)

    def counts(self) -> dict[tuple[str, str], int]:
        """Return the nodes of each type in each zone."""
        return dict(Counter((node.instance_type, node.zone) for node in self.nodes))


def limit_of(row: Demand) -> Amounts:
    """Return what a replica is limited to; nothing of a resource where one of its containers has no limit."""
    limits = [container.limit for container in row.pod.containers if container.role != "init"]
    cpu = [limit.cpu_millicores for limit in limits]
    memory = [limit.memory_bytes for limit in limits]
    return Amounts(sum(cpu) if all(cpu) else 0, sum(memory) if all(memory) else 0)
