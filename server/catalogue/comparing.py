"""What a list that was read would become when taken, and what that changes."""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from catalogue.adapt import price_list_of
from catalogue.models import Edition, Reading
from rombel.catalogue import compare_lists
from rombel.errors import InputRefused
from rombel.formats import price_list_of as listed_of
from rombel.model.price_list import PriceList, price_list_faults

MOST_CHANGES = 400
"""So many differences are kept for showing; all are counted."""


def compare(reading: Reading, listed: PriceList) -> None:
    """Write into the reading's fields what taking the list it holds would change; the row is not saved."""
    listed = _carried_over(reading, listed)
    changes = compare_lists(price_list_of(reading.base) if reading.base else None, listed)
    names = ("subject", "before", "after")
    reading.dated = listed.dated
    reading.change_count = len(changes)
    reading.changes = [
        {"kind": str(entry.kind), **{name: getattr(entry, name) for name in names}} for entry in changes[:MOST_CHANGES]
    ]


def words_of(listed: PriceList) -> str:
    """Return what is told of a list that was read."""
    return f"{len(listed.offers)} offers of {len(listed.types)} types read."


def proposed_list(reading: Reading) -> PriceList:
    """Return the list that a reading holds, as it would be taken."""
    return _carried_over(reading, listed_of(reading.document or {}))


def _carried_over(reading: Reading, listed: PriceList) -> PriceList:
    """Return the list with the regions that could not be read as the base edition has them."""
    missing = {entry["region"] for entry in reading.missing}
    if missing and reading.base:
        listed = _with_regions_of(price_list_of(reading.base), listed, missing)
    faults = price_list_faults(listed)
    if faults:
        raise InputRefused(faults)
    return listed


def _with_regions_of(base: PriceList, listed: PriceList, names: set[str]) -> PriceList:
    kept = [offer for offer in base.offers if offer.region in names]
    known = {entry.name for entry in listed.types}
    # Offers carried over may be of types that the new list no longer has.
    needed = {offer.instance_type for offer in kept} - known
    old = {region.name: region for region in base.regions}
    return replace(
        listed,
        regions=tuple(old.get(entry.name, entry) if entry.name in names else entry for entry in listed.regions),
        types=listed.types + tuple(entry for entry in base.types if entry.name in needed),
        offers=listed.offers + tuple(kept),
        quotas=tuple(q for q in listed.quotas if q.region not in names)
        + tuple(q for q in base.quotas if q.region in names),
    )


@lru_cache(maxsize=64)
def changes_between(before: int, after: int) -> int:
    """Return how many differences lie between two editions, by their keys; editions never change."""
    old, new = (Edition.objects.select_related("provider").get(pk=key) for key in (before, after))
    return len(compare_lists(price_list_of(old), price_list_of(new)))
