"""What a price list says of a region: read once, as a list that was taken never changes."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from decimal import Decimal
from functools import lru_cache

from catalogue.adapt import listed_quota
from catalogue.models import Disk, Fee, InstanceType, Offer, Region, SharedQuota, Tier
from rombel.model.price_list import ListedQuota

MOST_REGIONS = 128
MOST_SOLD = 8
"""Regions of which a process keeps what they sell; one of ten thousand types takes some ten megabytes."""


@dataclass(frozen=True, slots=True)
class Listed:
    """A region's zones, families and the number of its instance types; its price list's tiers, versions, disks, fees and architectures.

    ``versions``: each with the day on which it ends, as far as that is stated. ``architectures``: by instance type.
    """

    zones: tuple[str, ...]
    families: tuple[str, ...]
    types: int
    tiers: tuple[Tier, ...]
    versions: Mapping[str, date | None]
    disks: tuple[Disk, ...]
    fees: tuple[Fee, ...]
    architectures: Mapping[str, str]

    def tier(self, name: str) -> Tier | None:
        """Return a tier by its name; None where there is none, or nothing is named."""
        return next((tier for tier in self.tiers if tier.name == name), None) if name else None

    def disks_of(self, scope: str) -> list[Disk]:
        """Return the disks that stand on nodes (``node``) or in a zone (``zone``)."""
        return [disk for disk in self.disks if disk.scope == scope]


def listed(region: Region) -> Listed:
    """Return what the price list says of a region."""
    return _listed(region.pk)


# Every look at a study asks for it, and numbers of regions are never given again.
@lru_cache(MOST_REGIONS)
def _listed(region_id: int) -> Listed:
    region = Region.objects.select_related("edition").get(pk=region_id)
    edition = region.edition
    sold = Offer.objects.filter(zone__region=region).values_list("instance_type__name", "instance_type__family")
    found = set(sold.distinct())
    return Listed(
        zones=tuple(region.zones.values_list("name", flat=True)),
        families=tuple(sorted({family for _, family in found})),
        types=len(found),
        tiers=tuple(edition.tiers.all()),
        versions=dict(edition.versions.values_list("version", "ends")),
        disks=tuple(edition.disks.order_by("id")),
        fees=tuple(edition.fees.all()),
        architectures=dict(edition.types.values_list("name", "architecture")),
    )


@dataclass(frozen=True, slots=True)
class ListedOffer:
    """What a node of a type costs in a zone, in its price list's currency; only what can be bought."""

    zone: str
    purchase: str
    price_per_hour: Decimal
    most_nodes: int | None


@dataclass(frozen=True, slots=True)
class ListedType:
    """An instance type that a region sells, with its offers by zone in the list's order."""

    name: str
    family: str
    vcpu: int
    memory_bytes: int
    most_pods: int
    most_volumes: int | None
    architecture: str
    disk_bytes: int
    accelerators: int
    resources: Mapping[str, int]
    offers: tuple[ListedOffer, ...]


@dataclass(frozen=True, slots=True)
class Sold:
    """What a region sells now, by family and size, and how much of it an account gets at once; what is out of stock is left out."""

    types: tuple[ListedType, ...]
    quotas: tuple[ListedQuota, ...]


def sold_in(region: Region) -> Sold:
    """Return what a region sells."""
    return _sold(region.pk, region.edition_id)


@lru_cache(MOST_SOLD)
def _sold(region_id: int, edition_id: int) -> Sold:
    fields = ("instance_type_id", "zone__name", "purchase", "price_per_hour", "most_nodes")
    offers: dict[int, list[ListedOffer]] = {}
    found = Offer.objects.filter(zone__region=region_id, in_stock=True).order_by("zone__position", "purchase")
    for key, *terms in found.values_list(*fields):
        offers.setdefault(key, []).append(ListedOffer(*terms))
    own = tuple(name for name in ListedType.__slots__ if name != "offers")
    rows = InstanceType.objects.filter(edition=edition_id).values_list("pk", *own)
    types = tuple(
        ListedType(**dict(zip(own, values, strict=True)), offers=tuple(offers[key]))
        for key, *values in rows
        if key in offers
    )
    quotas = SharedQuota.objects.filter(edition=edition_id, region=Region.objects.get(pk=region_id).name)
    return Sold(types, tuple(listed_quota(row) for row in quotas))
