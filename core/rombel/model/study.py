"""A planner's study in plain values: supply, targets and demand, and the fit problem that they make."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from rombel.errors import Fault, InputRefused, refuse
from rombel.model.fit_problem import FitProblem, InstanceType, Limits, Offer, Purchase, Survival, Vector, Workload
from rombel.model.node import ReservationRule, Waterfall, waterfall
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
    fewest_nodes_per_zone, equal_zones
        Fewest nodes of a pool in every zone where it runs; the same number of its nodes in every zone.
    most_pods_per_node
        Below the type's own limit where the platform allows fewer.
    purchases
        Kinds of offers that may be bought.

    """

    survive_zone: Survival = Survival.NONE
    most_pools: int | None = None
    fewest_nodes_per_pool: int | None = None
    fewest_nodes_per_zone: int | None = None
    equal_zones: bool = False
    most_pods_per_node: int | None = None
    purchases: frozenset[Purchase] = frozenset({Purchase.ON_DEMAND})


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
    labels
        Labels it carries.
    interruptible_percent
        Largest share of its replicas on interruptible nodes, in whole percent.

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
    labels: Mapping[str, str] = field(default_factory=dict)
    interruptible_percent: int = 0

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
        texts += (*row.labels, *row.labels.values())
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
    supply = replace(supply, types=tuple(_for_sale(supply, targets)))
    if not supply.types:
        raise refuse(
            "supply.offers",
            "supply.zones",
            f"Nothing is offered {' or '.join(sorted(targets.purchases))} in the chosen zones.",
            "Choose other zones, families, kinds of purchase or a region.",
        )
    types = tuple(_instance_type(entry, supply, targets, daemons) for entry in supply.types)
    types = tuple(entry for entry in types if min(entry.allocatable) > 0)
    if not types:
        reason = "Every instance type on offer keeps more for itself than it has."
        raise refuse("node.reservation", "supply.reservation", reason, "Lower the reservation rule.")
    placed = [row for row in demand if row.kind is not WorkloadKind.DAEMON]
    eligible = _eligible(placed, supply)
    return FitProblem(
        currency=supply.currency,
        zones=supply.zones,
        resources=RESOURCES,
        daemon=_sum_of(everywhere),
        instance_types=types,
        workloads=tuple(_workload(row, supply, eligible[place]) for place, row in enumerate(placed)),
        survive_zone=targets.survive_zone,
        limits=Limits(
            most_pools=targets.most_pools,
            fewest_nodes_per_pool=targets.fewest_nodes_per_pool,
            fewest_nodes_per_zone=targets.fewest_nodes_per_zone,
            equal_zones=targets.equal_zones,
        ),
    )


def _for_sale(supply: Supply, targets: Targets) -> Iterator[SoldType]:
    """Yield the types with the offers that may be bought."""
    for entry in supply.types:
        offers = [offer for offer in entry.offers if offer.zone in supply.zones and offer.purchase in targets.purchases]
        if offers:
            yield replace(entry, offers=tuple(offers))


def node_waterfall(entry: SoldType, supply: Supply, targets: Targets, demand: Sequence[Demand]) -> Waterfall:
    """Return what a node of this type keeps for itself and for the daemon workloads that land on it."""
    daemons = [
        (row.full_name, row.request)
        for row in demand
        if row.kind is WorkloadKind.DAEMON and _matches(row, entry.labels())
    ]
    return waterfall(entry.capacity, _most_pods(entry, targets), supply.reservation, daemons)


def _most_pods(entry: SoldType, targets: Targets) -> int:
    return min(entry.most_pods, targets.most_pods_per_node or entry.most_pods)


def _sum_of(rows: Sequence[Demand]) -> Vector:
    return (
        sum(row.request.cpu_millicores for row in rows),
        sum(row.request.memory_bytes for row in rows),
        len(rows),
    )


def _instance_type(entry: SoldType, supply: Supply, targets: Targets, daemons: Sequence[Demand]) -> InstanceType:
    """Return the type as the problem states it; daemon workloads with labels are already taken from it."""
    fall = waterfall(entry.capacity, _most_pods(entry, targets), supply.reservation)
    own = _sum_of([row for row in daemons if row.node_labels and _matches(row, entry.labels())])
    return InstanceType(
        name=entry.name,
        allocatable=tuple(max(0, have - kept) for have, kept in zip(fall.allocatable, own, strict=True)),
        offers=entry.offers,
    )


def _matches(row: Demand, labels: Mapping[str, str]) -> bool:
    """Return whether a type's nodes carry the labels asked for, the zone's aside."""
    return all(labels.get(key) == value for key, value in row.node_labels.items() if key != ZONE_LABEL)


def _eligible(rows: Sequence[Demand], supply: Supply) -> dict[int, frozenset[str] | None]:
    """Return, by the row's place, the types whose nodes carry its labels; None: all. Selectors are read once each."""
    found: dict[frozenset[tuple[str, str]], frozenset[str]] = {}
    result: dict[int, frozenset[str] | None] = {}
    for place, row in enumerate(rows):
        selector = frozenset((key, value) for key, value in row.node_labels.items() if key != ZONE_LABEL)
        if selector and selector not in found:
            found[selector] = frozenset(entry.name for entry in supply.types if _matches(row, entry.labels()))
        result[place] = found[selector] if selector else None
    return result


def _workload(row: Demand, supply: Supply, types: frozenset[str] | None) -> Workload:
    zone = row.node_labels.get(ZONE_LABEL)
    return Workload(
        name=row.full_name,
        replicas=row.replicas,
        request=(row.request.cpu_millicores, row.request.memory_bytes, 1),
        instance_types=types,
        zones=None if zone is None else frozenset({zone} & set(supply.zones)),
        most_per_node=row.most_per_node,
        zone_skew=row.zone_skew,
        interruptible_share=row.interruptible_percent / 100,
        survive_zone=None if row.promised else Survival.NONE,
    )
