"""What a price list says of a region: read once, as a list that was taken never changes."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import date
from functools import lru_cache

from catalogue.adapt import listed_offers, listed_quota, listed_type
from catalogue.models import Disk, Fee, Offer, Region, Tier
from rombel.model.price_list import ListedOffer, ListedQuota, ListedType

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
class Sold:
    """What a region sells now: types by family and size, by type its offers by zone in the list's order, and quotas over several of them.

    What is out of stock is left out: it cannot be bought, whatever it costs.
    """

    types: tuple[ListedType, ...]
    offers: Mapping[str, tuple[ListedOffer, ...]]
    quotas: tuple[ListedQuota, ...]


def sold_in(region: Region) -> Sold:
    """Return what a region sells."""
    return _sold(region.pk)


@lru_cache(MOST_SOLD)
def _sold(region_id: int) -> Sold:
    region = Region.objects.select_related("edition").get(pk=region_id)
    zones = listed(region).zones
    offers: defaultdict[str, list[ListedOffer]] = defaultdict(list)
    for offer in listed_offers(region.edition, region=region):
        if offer.in_stock:
            offers[offer.instance_type].append(offer)
    return Sold(
        tuple(listed_type(row) for row in region.edition.types.all() if row.name in offers),
        {
            name: tuple(sorted(own, key=lambda each: (zones.index(each.zone), each.purchase)))
            for name, own in offers.items()
        },
        tuple(listed_quota(row) for row in region.edition.quotas.filter(region=region.name)),
    )
