"""Between an edition's rows and the core's price list."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator
from dataclasses import asdict
from decimal import Decimal
from typing import Any

from django.db import transaction

from accounts.models import User
from catalogue.models import (
    Disk,
    Edition,
    Fee,
    InstanceType,
    Offer,
    PerUse,
    Provider,
    RateSheet,
    Region,
    SharedQuota,
    SupportedVersion,
    Term,
    Tier,
    Zone,
)
from rombel.model.fit_problem import Purchase
from rombel.model.money import Rates
from rombel.model.price_list import (
    ListedDisk,
    ListedFee,
    ListedNetwork,
    ListedOffer,
    ListedPerUse,
    ListedQuota,
    ListedRegion,
    ListedTerm,
    ListedTier,
    ListedType,
    ListedVersion,
    PriceList,
)

BATCH = 2000
TYPE_FIELDS = tuple(ListedType.__slots__)


def price_list_of(edition: Edition) -> PriceList:
    """Return an edition, whole."""
    return PriceList(
        provider=edition.provider.name,
        currency=edition.currency,
        dated=edition.dated,
        regions=tuple(
            # Zones in the order of the list: it is the order in which they are shown and numbered everywhere.
            ListedRegion(row.name, tuple(zone.name for zone in row.zones.all()), row.note)
            for row in edition.regions.prefetch_related("zones")
        ),
        types=tuple(listed_type(row) for row in edition.types.all()),
        offers=tuple(listed_offers(edition)),
        disks=tuple(
            ListedDisk(row.name, row.scope, row.price_per_gib_month.normalize()) for row in edition.disks.order_by("id")
        ),
        tiers=tuple(listed_tier(row) for row in edition.tiers.all()),
        fees=tuple(ListedFee(row.name, row.unit, plain(row.price)) for row in edition.fees.all()),
        terms=tuple(listed_term(row) for row in edition.terms.all()),
        per_use=tuple(listed_per_use(row) for row in edition.per_use.all()),
        versions=tuple(ListedVersion(row.version, row.ends) for row in edition.versions.all()),
        quotas=tuple(listed_quota(row) for row in edition.quotas.all()),
        network=network_of(edition),
    )


def plain(amount: Decimal) -> Decimal:
    """Return a stored amount without trailing zeros and without an exponent."""
    # The database fills up to nine decimals; as the core's value an amount is what the list said, and its text the same.
    short = amount.normalize()
    return short.quantize(Decimal(1)) if short == short.to_integral_value() else short


def listed_type(row: InstanceType) -> ListedType:
    """Return an instance type as the core has it."""
    return ListedType(**{name: getattr(row, name) for name in TYPE_FIELDS})


def listed_tier(row: Tier) -> ListedTier:
    """Return a control-plane tier as the core has it."""
    uptime = None if row.uptime is None else row.uptime.normalize()
    return ListedTier(row.name, row.members, plain(row.price_per_hour), uptime, row.spans_zones)


def listed_term(row: Term) -> ListedTerm:
    """Return a way to commit as the core has it."""
    share, upfront = plain(row.price_share), plain(row.upfront_share)
    return ListedTerm(row.name, row.scope, row.months, share, upfront, tuple(row.families))


def listed_quota(row: SharedQuota) -> ListedQuota:
    """Return a quota over several offers as the core has it."""
    names = ("region", "name", "most", "unit", "family", "zone")
    purchase = Purchase(row.purchase) if row.purchase else None
    return ListedQuota(**{name: getattr(row, name) for name in names}, purchase=purchase)


def network_of(edition: Edition) -> ListedNetwork:
    """Return what the provider asks of ranges and names."""
    return ListedNetwork(**edition.network)


def listed_per_use(row: PerUse) -> ListedPerUse:
    """Return what is billed by the second as the core has it."""
    sizes = tuple((cpu, memory) for cpu, memory in row.sizes)
    return ListedPerUse(row.name, plain(row.vcpu_second), plain(row.gib_second), sizes, row.architecture, row.least_s)


def listed_offers(
    edition: Edition, types: Collection[str] | None = None, region: Region | None = None
) -> Iterator[ListedOffer]:
    """Yield an edition's offers as the core has them; of some types or of one region only, where they are named."""
    named: dict[str, Any] = {} if types is None else {"instance_type__name__in": types}
    named |= {} if region is None else {"zone__region": region}
    # In one order, whatever the database likes: problems made of them have fingerprints.
    rows = Offer.objects.filter(zone__region__edition=edition, **named).order_by(
        "zone__region_id",
        "instance_type__family",
        "instance_type__vcpu",
        "instance_type_id",
        "purchase",
        "zone__position",
    )
    fields = ("zone__region__name", "zone__name", "instance_type__name", "purchase", "price_per_hour", "most_nodes")
    # Values and no objects: a list has up to hundreds of thousands of them.
    for where, zone, name, purchase, price, most, rate, stock in rows.values_list(
        *fields, "interruptions_per_hour", "in_stock"
    ):
        rate = None if rate is None else plain(rate)
        yield ListedOffer(where, zone, name, Purchase(purchase), plain(price), most, rate, stock)


@transaction.atomic
def store_edition(
    listed: PriceList, provider: Provider, *, source: str, actor: User | None, carried_over: Iterable[str] = ()
) -> Edition:
    """Return a new edition with every row of a checked price list: all of it or nothing."""
    edition = Edition.objects.create(
        provider=provider,
        dated=listed.dated,
        currency=listed.currency,
        source=source,
        taken_by=actor,
        carried_over=list(carried_over),
        network=asdict(listed.network),
    )
    zones = {}
    for region in listed.regions:
        row = Region.objects.create(edition=edition, name=region.name, note=region.note)
        for position, name in enumerate(region.zones):
            zones[region.name, name] = Zone.objects.create(region=row, name=name, position=position)
    # Thousands of rows in batches; the keys come back with them.
    types = InstanceType.objects.bulk_create(
        [
            InstanceType(edition=edition, **{name: getattr(entry, name) for name in TYPE_FIELDS})
            for entry in listed.types
        ],
        BATCH,
    )
    known = {row.name: row for row in types}
    Offer.objects.bulk_create(
        [
            Offer(
                zone=zones[offer.region, offer.zone],
                instance_type=known[offer.instance_type],
                purchase=str(offer.purchase),
                price_per_hour=offer.price_per_hour,
                most_nodes=offer.most_nodes,
                interruptions_per_hour=offer.interruptions_per_hour,
                in_stock=offer.in_stock,
            )
            for offer in listed.offers
        ],
        BATCH,
    )
    _store_beside(edition, listed)
    return edition


def _store_beside(edition: Edition, listed: PriceList) -> None:
    """Store what a list holds beside types and offers."""
    for model, entries in (
        (Disk, listed.disks),
        (Tier, listed.tiers),
        (Fee, listed.fees),
        (Term, listed.terms),
        (PerUse, listed.per_use),
        (SupportedVersion, listed.versions),
    ):
        for entry in entries:
            model.objects.create(edition=edition, **{name: getattr(entry, name) for name in type(entry).__slots__})
    # An empty text in the database is any kind of purchase, which the core calls None.
    SharedQuota.objects.bulk_create(
        SharedQuota(edition=edition, **{**asdict(entry), "purchase": str(entry.purchase or "")})
        for entry in listed.quotas
    )


def rates_of(sheet: RateSheet | None, base: str = "EUR") -> Rates:
    """Return the rates of a sheet; without one, only the base itself is known."""
    if sheet is None:
        return Rates(base)
    return Rates(sheet.base, sheet.dated, {code: Decimal(text) for code, text in sheet.worth.items()})
