"""A dated edition of what a provider sells: regions, zones, instance types, offers, disks, tiers and fees."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date
from decimal import ROUND_UP, Decimal

from rombel.errors import Fault, InputRefused
from rombel.model.build import read_version
from rombel.model.fit_problem import Purchase

OfferKey = tuple[str, str, str, Purchase]
"""Region, zone, instance type, purchase."""


@dataclass(frozen=True, slots=True)
class ListedRegion:
    """A region with its zones, in the provider's order."""

    name: str
    zones: tuple[str, ...]
    note: str = ""


@dataclass(frozen=True, slots=True)
class ListedType:
    """An instance type: what one node has.

    Parameters
    ----------
    accelerators, disk_bytes, most_volumes, network_mbps
        Accelerators, local disk, most volumes attachable (None: not stated), network in megabits a second.
    resources
        Further named resources, such as ``example/fpga``: amounts.

    """

    name: str
    family: str
    vcpu: int
    memory_bytes: int
    architecture: str
    most_pods: int
    accelerators: int = 0
    disk_bytes: int = 0
    most_volumes: int | None = None
    network_mbps: int | None = None
    resources: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class ListedOffer:
    """An instance type for sale in a zone.

    Parameters
    ----------
    price_per_hour
        Of one node, in the list's currency; above zero.
    most_nodes
        Quota of the account; None: none.
    interruptions_per_hour
        Expected interruptions of one node, for interruptible ones.
    in_stock
        False: listed, and not to be had now.

    """

    region: str
    zone: str
    instance_type: str
    purchase: Purchase
    price_per_hour: Decimal
    most_nodes: int | None = None
    interruptions_per_hour: Decimal | None = None
    in_stock: bool = True

    @property
    def key(self) -> OfferKey:
        """Return what names the offer in its list."""
        return self.region, self.zone, self.instance_type, self.purchase


@dataclass(frozen=True, slots=True)
class ListedDisk:
    """A kind of disk or volume; ``scope`` is ``node`` or ``zone``."""

    name: str
    scope: str
    price_per_gib_month: Decimal


@dataclass(frozen=True, slots=True)
class ListedTier:
    """A tier of control plane: the uptime promised for its API, its fee, the members it runs.

    Parameters
    ----------
    members
        1, 3 or 5.
    uptime
        Promised share of the month, 0 to 1; None: no promise.
    spans_zones
        Whether its members stand in different zones.

    """

    name: str
    members: int
    price_per_hour: Decimal
    uptime: Decimal | None = None
    spans_zones: bool = False


@dataclass(frozen=True, slots=True)
class ListedFee:
    """A fee beside the nodes: ``unit`` is ``hour``, ``GiB``, ``vCPU-hour`` and so on."""

    name: str
    unit: str
    price: Decimal


TERM_SCOPES = ("instance type", "family", "spend")
"""What a term may bind: so many nodes of a type, so much money an hour for a family's nodes, or for any."""


@dataclass(frozen=True, slots=True)
class ListedTerm:
    """A way to commit: for how long, what is paid at once, and at which share of the price on demand.

    Parameters
    ----------
    scope
        One of ``TERM_SCOPES``.
    months
        How long it binds.
    price_share
        What is committed costs this share of the price on demand, above 0 and below 1.
    upfront_share
        How much of all of it is paid at the start, 0 to 1; the rest monthly.
    families
        It is sold for these; empty: for all.

    """

    name: str
    scope: str
    months: int
    price_share: Decimal
    upfront_share: Decimal = Decimal(0)
    families: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class ListedPerUse:
    """Replicas that are billed by the second without a node.

    Parameters
    ----------
    vcpu_second, gib_second
        Price of a vCPU and of a GiB for a second.
    sizes
        Millicores and bytes of memory that may be bought together.
    architecture
        What the replicas run on, as instance types have it.
    least_s
        A replica that runs for less is billed for so many seconds.

    """

    name: str
    vcpu_second: Decimal
    gib_second: Decimal
    sizes: tuple[tuple[int, int], ...]
    architecture: str
    least_s: int = 0

    def price_per_hour(self, size: tuple[int, int]) -> Decimal:
        """Return what a replica of a size costs an hour, rounded up to nine decimals."""
        second = self.vcpu_second * size[0] / 1000 + self.gib_second * size[1] / 2**30
        return (3600 * second).quantize(Decimal("1e-9"), ROUND_UP)

    def cheapest_for(self, cpu_millicores: int, memory_bytes: int) -> tuple[int, int] | None:
        """Return the cheapest size that holds a request; None: none does."""
        # Sizes need not grow together: the smallest that fits is not always the cheapest.
        fits = [size for size in self.sizes if size[0] >= cpu_millicores and size[1] >= memory_bytes]
        return min(fits, key=lambda size: (self.price_per_hour(size), size), default=None)


@dataclass(frozen=True, slots=True)
class ListedVersion:
    """A minor version of the platform that is sold, and the day from which it is no longer supported (None: not stated)."""

    version: str
    ends: date | None = None


QUOTA_UNITS = ("vcpu", "nodes")
"""What a quota over several offers counts."""


@dataclass(frozen=True, slots=True)
class ListedQuota:
    """The most of something that the account may have in a region over several offers.

    Parameters
    ----------
    most, unit
        How many, and of what: one of ``QUOTA_UNITS``.
    family, zone, purchase
        What it holds for; empty or None: all.

    """

    region: str
    name: str
    most: int
    unit: str = "vcpu"
    family: str = ""
    zone: str = ""
    purchase: Purchase | None = None


@dataclass(frozen=True, slots=True)
class ListedNetwork:
    """What the provider asks of ranges and names.

    Parameters
    ----------
    lost_per_range
        Addresses that every range loses to the network (None: not stated).
    one_route_table
        Whether private ranges that nodes of one pool join in have to hang on one route table.
    longest_name, name_prefix
        How long a cluster's name may be (None: as names in general), and what it has to begin with (empty: anything).

    """

    lost_per_range: int | None = None
    one_route_table: bool = False
    longest_name: int | None = None
    name_prefix: str = ""


@dataclass(frozen=True, slots=True)
class PriceList:
    """One edition, whole."""

    provider: str
    currency: str
    dated: date
    regions: tuple[ListedRegion, ...]
    types: tuple[ListedType, ...]
    offers: tuple[ListedOffer, ...]
    disks: tuple[ListedDisk, ...] = ()
    tiers: tuple[ListedTier, ...] = ()
    fees: tuple[ListedFee, ...] = ()
    terms: tuple[ListedTerm, ...] = ()
    per_use: tuple[ListedPerUse, ...] = ()
    versions: tuple[ListedVersion, ...] = ()
    quotas: tuple[ListedQuota, ...] = ()
    network: ListedNetwork = field(default_factory=ListedNetwork)


def price_list_faults(listed: PriceList) -> list[Fault]:
    """Return what is wrong with a list beyond the form of its values: names twice, names unknown, no capacity."""
    faults = list(_twice("regions", [entry.name for entry in listed.regions]))
    for index, region in enumerate(listed.regions):
        # The index leads to the row in the file.
        faults += _twice(f"regions[{index}].zones", region.zones)
    faults += _twice("types", [entry.name for entry in listed.types])
    faults += _twice("tiers", [entry.name for entry in listed.tiers])
    faults += _twice("disks", [entry.name for entry in listed.disks])
    faults += _twice("fees", [entry.name for entry in listed.fees])
    faults += _twice("per_use", [entry.name for entry in listed.per_use])
    faults += _twice("terms", [entry.name for entry in listed.terms])
    faults += _twice("versions", [entry.version for entry in listed.versions])
    # Of another region it is another quota, whatever its name.
    faults += _twice("quotas", [f"{entry.region} {entry.name}" for entry in listed.quotas])
    faults += _beyond_prices(listed)
    faults += _term_faults(listed)
    faults += _twice("offers", [" ".join(entry.key) for entry in listed.offers])
    return faults + list(_unknown(listed))


def _term_faults(listed: PriceList) -> Iterator[Fault]:
    families = {entry.family for entry in listed.types}
    for index, term in enumerate(listed.terms):
        path = f"terms[{index}]"
        if not 0 < term.price_share < 1:
            reason = f"'{term.name}' costs {term.price_share} of the price on demand."
            yield Fault(
                "catalogue.share", f"{path}.price_share", reason, "State a share above 0 and below 1, such as 0.62."
            )
        if not 0 <= term.upfront_share <= 1:
            reason = f"'{term.name}' asks for {term.upfront_share} of it at once."
            yield Fault("catalogue.share", f"{path}.upfront_share", reason, "State a share from 0 to 1.")
        for place, name in enumerate(term.families):
            # A list may come in parts, what is beside the types first.
            if families and name not in families:
                reason = f"No instance type is of family '{name}', so nothing can be committed to."
                yield Fault(
                    "catalogue.family",
                    f"{path}.families[{place}]",
                    reason,
                    f"Name one of {', '.join(sorted(families))}.",
                )


def _beyond_prices(listed: PriceList) -> Iterator[Fault]:
    """Yield what is wrong with versions and quotas: no version, a region, zone or family that is not there."""
    for index, entry in enumerate(listed.versions):
        try:
            read_version(entry.version, f"versions[{index}].version")
        except InputRefused as refused:
            yield from refused.faults
    zones = {region.name: region.zones for region in listed.regions}
    families = {entry.family for entry in listed.types}
    for index, quota in enumerate(listed.quotas):
        path = f"quotas[{index}]"
        if quota.region not in zones:
            reason = f"There is no region '{quota.region}'."
            yield Fault("catalogue.region", f"{path}.region", reason, "Declare it or correct the name.")
        elif quota.zone and quota.zone not in zones[quota.region]:
            fix = f"Its zones are {', '.join(zones[quota.region]) or 'none'}."
            yield Fault("catalogue.zone", f"{path}.zone", f"'{quota.region}' has no zone '{quota.zone}'.", fix)
        # A list may come in parts, what is beside the types first.
        if quota.family and families and quota.family not in families:
            reason = f"No instance type is of family '{quota.family}', so nothing counts for this quota."
            fix = f"Name one of {', '.join(sorted(families))}."
            yield Fault("catalogue.family", f"{path}.family", reason, fix)


def _twice(path: str, names: Sequence[str]) -> Iterator[Fault]:
    seen: set[str] = set()
    for index, name in enumerate(names):
        if name in seen:
            yield Fault("catalogue.twice", f"{path}[{index}]", f"'{name}' stands twice.", "Keep one of them.")
        seen.add(name)


def _unknown(listed: PriceList) -> Iterator[Fault]:
    zones = {region.name: set(region.zones) for region in listed.regions}
    types = {entry.name for entry in listed.types}
    for index, offer in enumerate(listed.offers):
        path = f"offers[{index}]"
        if offer.region not in zones:
            reason = f"There is no region '{offer.region}'."
            yield Fault("catalogue.region", f"{path}.region", reason, "Declare it or correct the name.")
        elif offer.zone not in zones[offer.region]:
            reason = f"'{offer.region}' has no zone '{offer.zone}'."
            fix = f"Its zones are {', '.join(sorted(zones[offer.region])) or 'none'}."
            yield Fault("catalogue.zone", f"{path}.zone", reason, fix)
        if offer.instance_type not in types:
            reason = f"There is no instance type '{offer.instance_type}'."
            yield Fault("catalogue.type", f"{path}.instance_type", reason, "Declare it or correct the name.")
