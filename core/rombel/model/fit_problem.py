"""A fitting problem: what is offered, what must run, what must be survived.

Vectors of amounts are tuples of integers in the order of ``FitProblem.resources``.
"""

from __future__ import annotations

from collections.abc import Collection, Mapping
from dataclasses import dataclass, field, replace
from decimal import Decimal
from enum import StrEnum

Vector = tuple[int, ...]


class Purchase(StrEnum):
    """How a node is paid for."""

    ON_DEMAND = "on-demand"
    INTERRUPTIBLE = "interruptible"
    COMMITTED = "committed"


class Survival(StrEnum):
    """How the loss of any one zone is survived.

    ``NONE``: it is not. ``STANDING``: enough replicas already stand elsewhere. ``LANDING``: the lost replicas
    land in room kept free on the surviving nodes, and no running replica moves. ``GROWING``: the lost replicas
    wait for new nodes in the surviving zones, inside the quotas and the limit on pools.
    """

    NONE = "none"
    STANDING = "standing"
    LANDING = "landing"
    GROWING = "growing"


STRICTER = (Survival.NONE, Survival.GROWING, Survival.LANDING, Survival.STANDING)
"""Ways to survive, from the loosest on: each keeps what those before it keep, and keeps it sooner."""

OfferKey = tuple[str, Purchase, str]
"""What names an offer: instance type, purchase, zone."""


@dataclass(frozen=True, slots=True)
class Offer:
    """An instance type for sale in a zone: price per node and hour, most nodes of it (None: no limit), nodes that run in any case.

    ``beside``: names and amounts of what of the price is not the node's own, such as a licence or a root disk, an hour.
    """

    zone: str
    purchase: Purchase
    price_per_hour: Decimal
    most_nodes: int | None = None
    fewest_nodes: int = 0
    beside: tuple[tuple[str, Decimal], ...] = ()


@dataclass(frozen=True, slots=True)
class InstanceType:
    """A size of node: its name, what pods may request on it, and where it is offered."""

    name: str
    allocatable: Vector
    offers: tuple[Offer, ...]

    def key(self, offer: Offer) -> OfferKey:
        """Return what names one of its offers."""
        return self.name, offer.purchase, offer.zone


@dataclass(frozen=True, slots=True)
class NodeLoss:
    """The loss of any ``count`` nodes at once, and how it is survived; see ``Survival``, with nodes for zones."""

    count: int = 0
    how: Survival = Survival.NONE

    @property
    def promised(self) -> bool:
        """Return whether there is anything to survive."""
        return self.count > 0 and self.how is not Survival.NONE


@dataclass(frozen=True, slots=True)
class Workload:
    """A class of identical replicas.

    Parameters
    ----------
    name
        ``namespace/name``, unique in the problem.
    replicas
        How many must run; under ``STANDING`` how many must be left after a zone is gone, unless ``must_stand`` says so.
    request
        Amounts that one replica requests.
    instance_types, zones
        Names it may run on; None: all.
    most_per_node
        Most replicas of it on one node; None: as many as fit.
    zone_skew
        Largest difference of its counts over the zones it may use; None: free.
    equal_zones
        Exactly the same count in each of those zones.
    interruptible_share
        Largest share of its replicas on interruptible nodes, 0 to 1.
    survive_zone, survive_nodes
        Its own promises; None: the problem's.
    stands
        By zone, the replicas that are bound there already, by a volume say; the others are free to choose.
    bound_to_zone
        Whether its replicas cannot leave their zone: they land, if at all, in the zone where they were.
    node_skew
        Largest difference of its counts over the nodes it may use, those without any included; None: free.
    apart
        Names of workloads of which no replica may share a node with one of this.
    zone_skew_wish
        A difference over zones that is preferred and not promised.
    must_stand
        How many must be left after a loss that is survived ``STANDING``: a quorum, say; None: all ``replicas``.

    """

    name: str
    replicas: int
    request: Vector
    instance_types: frozenset[str] | None = None
    zones: frozenset[str] | None = None
    most_per_node: int | None = None
    zone_skew: int | None = None
    equal_zones: bool = False
    interruptible_share: float = 0.0
    survive_zone: Survival | None = None
    survive_nodes: NodeLoss | None = None
    stands: Mapping[str, int] = field(default_factory=dict)
    bound_to_zone: bool = False
    node_skew: int | None = None
    apart: frozenset[str] = frozenset()
    zone_skew_wish: int | None = None
    must_stand: int | None = None

    @property
    def left(self) -> int:
        """Return how many must be left after a loss that is survived standing."""
        # A quorum of three of five is enough, though five are asked for.
        return self.replicas if self.must_stand is None else self.must_stand


@dataclass(frozen=True, slots=True)
class Quota:
    """The most of one thing over several offers.

    Parameters
    ----------
    name
        What it is called.
    most
        The most nodes, or the most of ``resource`` that all such nodes may have together before anything is kept.
    resource
        A name of the problem's resources; None: nodes are counted, or ``takes``.
    takes, counted
        By instance type what a node takes where it is no resource, such as its vCPUs, and what that is called; empty: nodes are counted.
    instance_types, zones, purchase
        The offers it holds for; None: all.

    """

    name: str
    most: int
    resource: str | None = None
    instance_types: frozenset[str] | None = None
    zones: frozenset[str] | None = None
    purchase: Purchase | None = None
    takes: Mapping[str, int] = field(default_factory=dict)
    counted: str = ""

    @property
    def unit(self) -> str:
        """Return what is counted."""
        return self.resource or self.counted or "nodes"

    def holds_for(self, instance_type: InstanceType, offer: Offer) -> bool:
        """Return whether nodes of the offer count."""
        return (
            (self.instance_types is None or instance_type.name in self.instance_types)
            and (self.zones is None or offer.zone in self.zones)
            and (self.purchase is None or offer.purchase is self.purchase)
        )

    def use(self, resources: tuple[str, ...], instance_type: InstanceType) -> int:
        """Return what one node of the type takes of it."""
        # vCPUs, say: what the seller counts by and no pod requests.
        if self.counted:
            return self.takes.get(instance_type.name, 0)
        return 1 if self.resource is None else instance_type.allocatable[resources.index(self.resource)]


@dataclass(frozen=True, slots=True)
class Limits:
    """Limits on pools; a pool is an (instance type, purchase) pair that runs a node. None or 0: no limit.

    ``equal_zones`` asks for the same number of a pool's nodes in every zone of the problem; ``headroom`` names, by resource, the
    percent of what a node offers that stay free on it, whatever has landed.
    """

    most_pools: int | None = None
    fewest_nodes_per_pool: int | None = None
    fewest_nodes_per_zone: int | None = None
    equal_zones: bool = False
    quotas: tuple[Quota, ...] = ()
    headroom: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class FitProblem:
    """The whole question, as the interchange format states it.

    ``zone_charges``: by zone, names and amounts an hour of what is paid once any node runs there, such as a gateway.
    """

    currency: str
    zones: tuple[str, ...]
    resources: tuple[str, ...]
    daemon: Vector
    instance_types: tuple[InstanceType, ...]
    workloads: tuple[Workload, ...]
    survive_zone: Survival = Survival.NONE
    limits: Limits = field(default_factory=Limits)
    survive_nodes: NodeLoss = NodeLoss()
    zone_charges: Mapping[str, tuple[tuple[str, Decimal], ...]] = field(default_factory=dict)

    def charge_of(self, zones: Collection[str]) -> Decimal:
        """Return what is paid an hour for using these zones at all."""
        # A zone is paid once, however often it is named.
        own = (price for zone in set(zones) for _, price in self.zone_charges.get(zone, ()))
        return sum(own, Decimal(0))

    def uncharged(self) -> FitProblem:
        """Return the problem whose cost is that of its nodes alone."""
        return replace(self, zone_charges={}) if self.zone_charges else self

    def within(self, zones: Collection[str]) -> FitProblem:
        """Return the problem with nodes in these zones alone; a spread rule then asks for as much over fewer zones, or for less."""
        types = tuple(
            replace(entry, offers=tuple(offer for offer in entry.offers if offer.zone in zones))
            for entry in self.instance_types
        )
        workloads = tuple(
            replace(
                workload,
                zones=None if workload.zones is None else workload.zones & frozenset(zones),
                stands={zone: count for zone, count in workload.stands.items() if zone in zones},
            )
            for workload in self.workloads
        )
        # In the problem's own order, so that the same zones are the same problem however they are named.
        kept = tuple(zone for zone in self.zones if zone in zones)
        return replace(
            # Which zones are used is settled with this, so their charges no longer decide anything.
            self,
            zones=kept,
            instance_types=tuple(e for e in types if e.offers),
            workloads=workloads,
            zone_charges={},
        )

    def promise_of(self, workload: Workload) -> Survival:
        """Return how this workload survives the loss of a zone."""
        return self.survive_zone if workload.survive_zone is None else workload.survive_zone

    def node_promise_of(self, workload: Workload) -> NodeLoss:
        """Return how this workload survives the loss of any few nodes."""
        return self.survive_nodes if workload.survive_nodes is None else workload.survive_nodes

    def usable(self, instance_type: InstanceType) -> Vector:
        """Return what may be filled on a node once the daemon workloads run on it, the headroom left free; may be negative."""
        # Daemons run on every node before anything else does.
        left = tuple(have - kept for have, kept in zip(instance_type.allocatable, self.daemon, strict=True))
        if not self.limits.headroom:
            return left
        free = (self.limits.headroom.get(name, 0) for name in self.resources)
        # Rounded down: headroom is a promise to keep free at least so much.
        return tuple(have * (100 - percent) // 100 for have, percent in zip(left, free, strict=True))

    def may_run(self, workload: Workload, instance_type: InstanceType, offer: Offer) -> bool:
        """Return whether eligibility lets this workload onto such a node (room is another question)."""
        if workload.instance_types is not None and instance_type.name not in workload.instance_types:
            return False
        if workload.zones is not None and offer.zone not in workload.zones:
            return False
        # How many may stand on such nodes together is a rule over all of them, and not of this one.
        return offer.purchase is not Purchase.INTERRUPTIBLE or workload.interruptible_share > 0
