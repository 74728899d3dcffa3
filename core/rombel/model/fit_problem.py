"""A fitting problem: what is offered, what must run, what must be survived.

Vectors of amounts are tuples of integers in the order of ``FitProblem.resources``.
"""

from __future__ import annotations

from dataclasses import dataclass, field
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


@dataclass(frozen=True, slots=True)
class Offer:
    """An instance type for sale in a zone: price per node and hour, and the most nodes of it (None: no limit)."""

    zone: str
    purchase: Purchase
    price_per_hour: Decimal
    most_nodes: int | None = None


@dataclass(frozen=True, slots=True)
class InstanceType:
    """A size of node: its name, what pods may request on it, and where it is offered."""

    name: str
    allocatable: Vector
    offers: tuple[Offer, ...]


@dataclass(frozen=True, slots=True)
class Workload:
    """A class of identical replicas.

    Parameters
    ----------
    name
        ``namespace/name``, unique in the problem.
    replicas
        How many must run; under ``STANDING`` how many must be left after a zone is gone.
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
    survive_zone
        Its own promise; None: the problem's.

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


@dataclass(frozen=True, slots=True)
class Limits:
    """Limits on pools; a pool is an (instance type, purchase) pair that runs a node. None or 0: no limit.

    ``equal_zones`` asks for the same number of a pool's nodes in every zone of the problem.
    """

    most_pools: int | None = None
    fewest_nodes_per_pool: int | None = None
    fewest_nodes_per_zone: int | None = None
    equal_zones: bool = False


@dataclass(frozen=True, slots=True)
class FitProblem:
    """The whole question, as the interchange format states it."""

    currency: str
    zones: tuple[str, ...]
    resources: tuple[str, ...]
    daemon: Vector
    instance_types: tuple[InstanceType, ...]
    workloads: tuple[Workload, ...]
    survive_zone: Survival = Survival.NONE
    limits: Limits = field(default_factory=Limits)

    def promise_of(self, workload: Workload) -> Survival:
        """Return how this workload survives the loss of a zone."""
        return self.survive_zone if workload.survive_zone is None else workload.survive_zone

    def usable(self, instance_type: InstanceType) -> Vector:
        """Return what is left on a node once the daemon workloads run on it; may be negative."""
        return tuple(have - kept for have, kept in zip(instance_type.allocatable, self.daemon, strict=True))

    def may_run(self, workload: Workload, instance_type: InstanceType, offer: Offer) -> bool:
        """Return whether eligibility lets this workload onto such a node (room is another question)."""
        if workload.instance_types is not None and instance_type.name not in workload.instance_types:
            return False
        if workload.zones is not None and offer.zone not in workload.zones:
            return False
        return offer.purchase is not Purchase.INTERRUPTIBLE or workload.interruptible_share > 0
