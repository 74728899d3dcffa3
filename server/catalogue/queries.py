"""Reads of price lists."""

from __future__ import annotations

from collections.abc import Iterator

from django.db.models import QuerySet

from accounts.action import Missing
from catalogue.models import Edition, Offer, Provider, RateSheet, Reading, Region
from config.one_look import looked_up
from rombel.model.fit_problem import OfferKey, Purchase


def all_providers() -> QuerySet[Provider]:
    """Return every provider, in the order made."""
    return Provider.objects.order_by("id")


def provider_by_id(provider_id: int) -> Provider:
    """Return a provider; ``Missing`` when there is none."""
    provider = Provider.objects.filter(pk=provider_id).first()
    if provider is None:
        raise Missing(f"There is no provider {provider_id}.")
    return provider


def newest_edition(provider: Provider) -> Edition | None:
    """Return the edition that counts today; None where nothing was taken yet."""
    return looked_up(f"newest-edition-{provider.pk}", provider.editions.filter(of_file=False).last)


def edition_by_id(edition_id: int) -> Edition:
    """Return an edition; ``Missing`` when there is none."""
    edition = Edition.objects.select_related("provider").filter(pk=edition_id).first()
    if edition is None:
        raise Missing(f"There is no edition {edition_id}.")
    return edition


def newest_regions() -> list[Region]:
    """Return the regions of every provider's newest edition."""
    editions = [edition for provider in all_providers() if (edition := newest_edition(provider))]
    rows = Region.objects.filter(edition__in=editions).select_related("edition__provider").prefetch_related("zones")
    return sorted(rows, key=lambda row: (row.edition.provider_id, row.pk))


def interruptions(region: Region) -> Iterator[tuple[OfferKey, float]]:
    """Yield by interruptible offer of a region how often an hour one node is taken back, where the price list says so."""
    rows = Offer.objects.filter(
        zone__region=region, purchase=Purchase.INTERRUPTIBLE, interruptions_per_hour__isnull=False
    )
    fields = ("instance_type__name", "zone__name", "interruptions_per_hour")
    for name, zone, rate in rows.order_by("zone__position", "instance_type__name").values_list(*fields):
        yield (name, Purchase.INTERRUPTIBLE, zone), float(rate)


def reading_by_id(reading_id: int) -> Reading:
    """Return a reading; ``Missing`` when there is none."""
    reading = Reading.objects.select_related("provider", "base", "created_by").filter(pk=reading_id).first()
    if reading is None:
        raise Missing(f"There is no reading {reading_id}.")
    return reading


def newest_rates() -> RateSheet | None:
    """Return the newest sheet of rates."""
    return looked_up("newest-rates", RateSheet.objects.filter(of_file=False).last)


def rates_by_id(rates_id: int) -> RateSheet:
    """Return a sheet of rates that is known to be there."""
    return looked_up(f"rates-{rates_id}", lambda: RateSheet.objects.get(pk=rates_id))


def region_by_id(region_id: int) -> Region:
    """Return a region that is known to be there, with its price list and provider."""
    rows = Region.objects.select_related("edition__provider")
    return looked_up(f"region-{region_id}", lambda: rows.get(pk=region_id))
