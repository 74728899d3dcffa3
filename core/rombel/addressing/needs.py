"""What ranges a plan needs, and how many nodes a range of a size carries."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from enum import StrEnum

from rombel.addressing.reading import Network, Used
from rombel.addressing.sizes import pod_block, prefix_for

SUBNET_6, SERVICES_6, NODE_6 = 64, 112, 80
"""Prefix lengths in IPv6: of a zone's ranges, of services, of a node's pods; RFC 4291 2.5.1 and RFC 6177 for the first, else common practice."""


class Pods(StrEnum):
    """Where pods have their addresses from: a block for each node, or one range for all of a zone."""

    BLOCKS = "blocks"
    FLAT = "flat"


class Role(StrEnum):
    """What a range carries."""

    NODES = "nodes"
    PODS = "pods"
    PUBLIC = "public"
    SERVICES = "services"


def range_name(role: Role, zone: str) -> str:
    """Return what a range is called; services have no zone."""
    return f"{zone} {role}".strip()


@dataclass(frozen=True, slots=True)
class Addresses:
    """What is stated about the addresses of a region.

    Parameters
    ----------
    parents
        The ranges that all others are taken from, one of each family at most.
    used
        Ranges that are in use elsewhere.
    pods, twice
        Where pods have their addresses from; whether a node's block has twice its most pods.
    services
        How many services there may be.
    public
        Whether every zone has a public range too, with its gateway and load balancers; without one they are among the nodes.
    gateways, load_balancers
        Addresses that they take in every zone.
    lost
        Addresses that each range loses to the network, as the provider states it.

    """

    parents: tuple[Network, ...]
    used: tuple[Used, ...] = ()
    pods: Pods = Pods.BLOCKS
    twice: bool = True
    services: int = 1000
    public: bool = False
    gateways: int = 1
    load_balancers: int = 1
    lost: int = 2


@dataclass(frozen=True, slots=True)
class ZoneNeed:
    """Nodes that may run in a zone at once: ``nodes`` now, ``grown`` once demand has grown; both with surge and what grows after a loss."""

    zone: str
    nodes: int
    grown: int


@dataclass(frozen=True, slots=True)
class RegionNeed:
    """The zones of a region in their order, and the most pods on a node."""

    zones: tuple[ZoneNeed, ...]
    most_pods: int


@dataclass(frozen=True, slots=True)
class Want:
    """A range that is needed.

    Parameters
    ----------
    role, zone
        What it carries, and where; services have no zone.
    now, grown
        Addresses that it needs, and will need once demand has grown.
    fixed, each
        Of these, those that no node takes, and those that a node takes; ``each`` is 0 where nodes take none.

    """

    role: Role
    zone: str
    now: int
    grown: int
    fixed: int = 0
    each: int = 0

    @property
    def name(self) -> str:
        """Return what it is called."""
        return range_name(self.role, self.zone)

    def nodes_in(self, addresses: int) -> int | None:
        """Return how many nodes a range of so many addresses carries; None: nodes take none of it."""
        return max(0, addresses - self.fixed) // self.each if self.each else None

    def carried_by(self, ranges: Iterable[Network]) -> int:
        """Return how many nodes ranges carry together, each less what it loses; addresses, where nodes take none."""
        sizes = [network.num_addresses for network in ranges]
        return sum(self.nodes_in(size) or 0 for size in sizes) if self.each else sum(sizes)


def wants_of(stated: Addresses, need: RegionNeed, version: int) -> Iterator[Want]:
    """Yield the ranges that a region needs in a family: services first, then zone by zone, the largest first."""
    if version == 6:
        yield Want(Role.SERVICES, "", 1 << 128 - SERVICES_6, 1 << 128 - SERVICES_6)
    else:
        # The first and the last address of a range are no service's.
        yield Want(Role.SERVICES, "", stated.services + 2, stated.services + 2)
    beside = stated.gateways + stated.load_balancers
    for zone in need.zones:
        own = [_pods(stated, need, zone, version), _nodes(stated, zone, 0 if stated.public else beside, version)]
        if stated.public:
            own.append(_sized(Want(Role.PUBLIC, zone.zone, stated.lost + beside, stated.lost + beside), version))
        yield from sorted(own, key=lambda want: -want.grown)


def _nodes(stated: Addresses, zone: ZoneNeed, beside: int, version: int) -> Want:
    fixed = stated.lost + beside
    return _sized(Want(Role.NODES, zone.zone, fixed + zone.nodes, fixed + zone.grown, fixed, 1), version)


def _pods(stated: Addresses, need: RegionNeed, zone: ZoneNeed, version: int) -> Want:
    if stated.pods is Pods.FLAT:
        fixed, each = stated.lost, need.most_pods
    else:
        # Blocks are cut from the whole range: the network takes none of it.
        fixed = 0
        each = pod_block(need.most_pods, twice=stated.twice) if version == 4 else 1 << 128 - NODE_6
    want = Want(Role.PODS, zone.zone, fixed + each * zone.nodes, fixed + each * zone.grown, fixed, each)
    return _sized(want, version)


def _sized(want: Want, version: int) -> Want:
    """Return a want whose range in IPv6 is a subnet, which is never cut smaller."""
    if version == 4:
        return want
    whole = 1 << 128 - SUBNET_6
    return Want(want.role, want.zone, max(whole, want.now), max(whole, want.grown), want.fixed, want.each)


def bits_of(version: int) -> int:
    """Return the bits of an address of a family."""
    return 32 if version == 4 else 128


def prefixes(want: Want, version: int) -> tuple[int, int]:
    """Return the prefix lengths of the range now and once grown; below 0 where no range of the family is so large."""
    return prefix_for(want.now, bits_of(version)), prefix_for(want.grown, bits_of(version))
