"""A planner's study in plain values: what is sold and what is asked, beside the demand."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from rombel.model.demand import Demand, Level, WorkloadKind
from rombel.model.fit_problem import (
    NodeLoss,
    Offer,
    Purchase,
    Survival,
)
from rombel.model.node import ReservationRule, Waterfall, waterfall
from rombel.model.pod import Amounts
from rombel.model.price_list import ListedQuota
from rombel.model.taints import Taint

VOLUMES = "volume_attachments"
"""A resource only where a workload has volumes."""


HEADROOM = "headroom"
"""Name of the replicas that only keep room; no workload has it, as theirs have a slash."""

ARCHITECTURE_LABEL = "kubernetes.io/arch"
TYPE_LABEL = "node.kubernetes.io/instance-type"
ZONE_LABEL = "topology.kubernetes.io/zone"
HOST_LABEL = "kubernetes.io/hostname"


@dataclass(frozen=True, slots=True)
class SoldType:
    """An instance type of a catalogue: capacity, most pods, architecture, offers, most volumes (None: not stated).

    ``resources`` are local disk, accelerators and whatever else it has by name.
    """

    name: str
    capacity: Amounts
    most_pods: int
    architecture: str
    offers: tuple[Offer, ...]
    most_volumes: int | None = None
    resources: Mapping[str, int] = field(default_factory=dict)
    family: str = ""

    def labels(self) -> dict[str, str]:
        """Return the labels that its nodes carry in every zone."""
        return {ARCHITECTURE_LABEL: self.architecture, TYPE_LABEL: self.name}


@dataclass(frozen=True, slots=True)
class FamilyRule:
    """What a study asks of the nodes of a family: a taint they carry, and the most of them in the region and in each zone."""

    taint: Taint | None = None
    most_nodes: int | None = None
    most_in_zone: int | None = None


@dataclass(frozen=True, slots=True)
class Supply:
    """What a variant may buy: currency, zones and what each costs once used, types, what a node keeps back, the account's quotas there."""

    currency: str
    zones: tuple[str, ...]
    types: tuple[SoldType, ...]
    reservation: ReservationRule = field(default_factory=ReservationRule)
    zone_charges: Mapping[str, tuple[tuple[str, Decimal], ...]] = field(default_factory=dict)
    quotas: tuple[ListedQuota, ...] = ()


@dataclass(frozen=True, slots=True)
class Targets:
    """What a variant promises and limits; None: no limit.

    Parameters
    ----------
    survive_zone
        How the loss of any one zone is survived.
    survive_nodes
        How the loss of any few nodes at once is survived.
    most_pools, fewest_nodes_per_pool
        Limits on pools.
    fewest_nodes_per_zone, equal_zones
        Fewest nodes of a pool in every zone where it runs; the same number of its nodes in every zone.
    most_pods_per_node
        Below the type's own limit where the platform allows fewer.
    purchases
        Kinds of offers that may be bought.
    level, growth_percent
        The demand level that is fitted, and the growth up to the grown peak.
    headroom
        By resource, the percent that stays free on every node.
    headroom_replicas
        For how many more replicas of the largest workload every zone keeps room, also when a lost zone's replicas have landed.
    architecture
        Of workloads that name none and are not known to run on every one; empty: any.
    families
        Rules of families, by name.

    """

    survive_zone: Survival = Survival.NONE
    survive_nodes: NodeLoss = field(default_factory=NodeLoss)
    most_pools: int | None = None
    fewest_nodes_per_pool: int | None = None
    fewest_nodes_per_zone: int | None = None
    equal_zones: bool = False
    most_pods_per_node: int | None = None
    purchases: frozenset[Purchase] = frozenset({Purchase.ON_DEMAND})
    level: Level = Level.PEAK
    growth_percent: int = 0
    families: Mapping[str, FamilyRule] = field(default_factory=dict)
    headroom: Mapping[str, int] = field(default_factory=dict)
    headroom_replicas: int = 0
    architecture: str = ""


def with_architecture(row: Demand, architecture: str) -> Demand:
    """Return a row that names no architecture with the one that such rows run on; empty: any. A daemon runs on every node."""
    # A row that asks for an architecture itself, or runs on all, is left as it is.
    bound = row.kind is WorkloadKind.DAEMON or row.pod.any_architecture or ARCHITECTURE_LABEL in row.node_labels
    if not architecture or bound:
        return row
    return replace(row, node_labels={**row.node_labels, ARCHITECTURE_LABEL: architecture})


def for_sale(supply: Supply, targets: Targets) -> Iterator[SoldType]:
    """Yield the types with the offers that may be bought."""
    for entry in supply.types:
        offers = [offer for offer in entry.offers if offer.zone in supply.zones and offer.purchase in targets.purchases]
        if offers:
            yield replace(entry, offers=tuple(offers))


def node_waterfall(entry: SoldType, supply: Supply, targets: Targets, demand: Sequence[Demand]) -> Waterfall:
    """Return what a node of this type keeps for itself and for the daemon workloads that land on it."""
    daemons = [
        # Only those that land on this type, by their labels.
        (row.full_name, row.request)
        for row in demand
        if row.kind is WorkloadKind.DAEMON and matches(row, entry.labels())
    ]
    return waterfall(entry.capacity, most_pods(entry, targets), supply.reservation, daemons)


def most_pods(entry: SoldType, targets: Targets) -> int:
    """Return the most pods of a node of a type: its own, or what the study allows where that is less."""
    return min(entry.most_pods, targets.most_pods_per_node or entry.most_pods)


def matches(row: Demand, labels: Mapping[str, str]) -> bool:
    """Return whether a type's nodes carry the labels asked for, the zone's aside."""
    return all(labels.get(key) == value for key, value in row.node_labels.items() if key != ZONE_LABEL)
