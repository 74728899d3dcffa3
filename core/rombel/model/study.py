"""A planner's study in plain values: supply, targets and demand, and the fit problem that they make."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from rombel.errors import Fault, InputRefused, refuse
from rombel.model.fit_problem import FitProblem, InstanceType, Limits, Offer, Survival, Vector, Workload
from rombel.model.node import ReservationRule, allocatable
from rombel.model.pod import Amounts

RESOURCES = ("cpu_millicores", "memory_bytes", "pods")

ARCHITECTURE_LABEL = "kubernetes.io/arch"
TYPE_LABEL = "node.kubernetes.io/instance-type"
ZONE_LABEL = "topology.kubernetes.io/zone"


class WorkloadKind(StrEnum):
    """How the replicas of a workload behave."""

    REPLICATED = "replicated"
    STATEFUL = "stateful"
    DAEMON = "daemon"


@dataclass(frozen=True, slots=True)
class SoldType:
    """An instance type of a catalogue: capacity, most pods, architecture, offers."""

    name: str
    capacity: Amounts
    most_pods: int
    architecture: str
    offers: tuple[Offer, ...]

    def labels(self) -> dict[str, str]:
        """Return the labels that its nodes carry in every zone."""
        return {ARCHITECTURE_LABEL: self.architecture, TYPE_LABEL: self.name}


@dataclass(frozen=True, slots=True)
class Supply:
    """What a variant may buy: currency, the zones chosen, the types sold there, what a node keeps back."""

    currency: str
    zones: tuple[str, ...]
    types: tuple[SoldType, ...]
    reservation: ReservationRule = field(default_factory=ReservationRule)


@dataclass(frozen=True, slots=True)
class Targets:
    """What a variant promises and limits; None: no limit.

    Parameters
    ----------
    survive_zone
        How the loss of any one zone is survived.
    most_pools, fewest_nodes_per_pool
        Limits on pools.
    most_pods_per_node
        Below the type's own limit where the platform allows fewer.

    """

    survive_zone: Survival = Survival.NONE
    most_pools: int | None = None
    fewest_nodes_per_pool: int | None = None
    most_pods_per_node: int | None = None


@dataclass(frozen=True, slots=True)
class Demand:
    """One workload of the demand sheet.

    Parameters
    ----------
    namespace, name
        Together unique in a study.
    kind
        A daemon workload runs once on every node that its labels allow; its replicas are not counted.
    replicas
        How many must run.
    request
        Effective request of one replica.
    zone_skew
        Largest difference of its counts over the zones; None: free.
    most_per_node
        Most replicas on one node; None: as many as fit.
    node_labels
        Labels that a node must carry.
    owner
        Who answers for it.
    promised
        False leaves it out of the promise to survive a zone.

    """

    namespace: str
    name: str
    kind: WorkloadKind
    replicas: int
    request: Amounts
    zone_skew: int | None = None
    most_per_node: int | None = None
    node_labels: Mapping[str, str] = field(default_factory=dict)
    owner: str = ""
    promised: bool = True

    @property
    def full_name(self) -> str:
        """Return ``namespace/name``."""
        return f"{self.namespace}/{self.name}"


def demand_faults(rows: Sequence[Demand]) -> list[Fault]:
    """Return what is wrong with rows taken together or alone, beyond what reading already refused."""
    faults, seen = [], set()
    for number, row in enumerate(rows):
        path = f"demand[{number}]"
        if not row.name or not row.namespace:
            faults.append(Fault("demand.name", path, "A workload needs a namespace and a name.", "Give it both."))
        if row.full_name in seen:
            faults.append(
                Fault("demand.twice", path, f"'{row.full_name}' stands twice.", "Rename or remove one of them.")
            )
        seen.add(row.full_name)
        texts = (row.namespace, row.name, row.owner, *row.node_labels, *row.node_labels.values())
        if not all(text.isprintable() and len(text) <= 253 for text in texts):
            reason = f"'{row.full_name[:60]}' has a text with control characters or over 253 characters."
            faults.append(Fault("demand.text", path, reason, "Write names, labels and owner in plain, short text."))
        if row.request == Amounts():
            faults.append(
                Fault(
                    "demand.request", path, f"'{row.full_name}' requests nothing.", "Give it a CPU or memory request."
                )
            )
    return faults


def compile_problem(supply: Supply, targets: Targets, demand: Sequence[Demand]) -> FitProblem:
    """Return the fit problem of a variant.

    Daemon workloads are taken from what a node can use: those without labels from every node, the others from
    the types their labels name.

    Raises
    ------
    InputRefused
        When no zone or no offer is chosen, or the demand has faults.

    """
    if not supply.zones:
        raise refuse("supply.zones", "supply.zones", "No zone is chosen.", "Choose at least one zone under Supply.")
    faults = demand_faults(demand)
    if faults:
        raise InputRefused(faults)
    daemons = [row for row in demand if row.kind is WorkloadKind.DAEMON]
    everywhere = [row for row in daemons if not row.node_labels]
    types = tuple(_instance_type(entry, supply, targets, daemons) for entry in supply.types)
    types = tuple(entry for entry in types if entry.offers)
    if not types:
        raise refuse(
            "supply.offers",
            "supply.zones",
            "Nothing is offered in the chosen zones.",
            "Choose other zones or a region.",
        )
    return FitProblem(
        currency=supply.currency,
        zones=supply.zones,
        resources=RESOURCES,
        daemon=_sum_of(everywhere),
        instance_types=types,
        workloads=tuple(_workload(row, supply) for row in demand if row.kind is not WorkloadKind.DAEMON),
        survive_zone=targets.survive_zone,
        limits=Limits(most_pools=targets.most_pools, fewest_nodes_per_pool=targets.fewest_nodes_per_pool),
    )


def _sum_of(rows: Sequence[Demand]) -> Vector:
    return (
        sum(row.request.cpu_millicores for row in rows),
        sum(row.request.memory_bytes for row in rows),
        len(rows),
    )


def _instance_type(entry: SoldType, supply: Supply, targets: Targets, daemons: Sequence[Demand]) -> InstanceType:
    usable = allocatable(entry.capacity, supply.reservation, entry.name)
    own = _sum_of([row for row in daemons if row.node_labels and _matches(row, entry.labels())])
    pods = min(entry.most_pods, targets.most_pods_per_node or entry.most_pods)
    amounts = (usable.cpu_millicores, usable.memory_bytes, pods)
    return InstanceType(
        name=entry.name,
        allocatable=tuple(max(0, have - kept) for have, kept in zip(amounts, own, strict=True)),
        offers=tuple(offer for offer in entry.offers if offer.zone in supply.zones),
    )


def _matches(row: Demand, labels: Mapping[str, str]) -> bool:
    """Return whether a type's nodes carry the labels asked for, the zone's aside."""
    return all(labels.get(key) == value for key, value in row.node_labels.items() if key != ZONE_LABEL)


def _workload(row: Demand, supply: Supply) -> Workload:
    labelled = any(key != ZONE_LABEL for key in row.node_labels)
    zone = row.node_labels.get(ZONE_LABEL)
    types = frozenset(entry.name for entry in supply.types if _matches(row, entry.labels()))
    sold = frozenset(entry.name for entry in supply.types if any(offer.zone in supply.zones for offer in entry.offers))
    return Workload(
        name=row.full_name,
        replicas=row.replicas,
        request=(row.request.cpu_millicores, row.request.memory_bytes, 1),
        instance_types=types & sold if labelled else None,
        zones=None if zone is None else frozenset({zone} & set(supply.zones)),
        most_per_node=row.most_per_node,
        zone_skew=row.zone_skew,
        survive_zone=None if row.promised else Survival.NONE,
    )
