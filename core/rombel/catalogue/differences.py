"""What a newer edition of a price list changes, and what it would make of a plan."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from decimal import Decimal
from enum import StrEnum
from typing import Any

from rombel.model.fit_problem import Purchase
from rombel.model.fit_solution import NodeBatch
from rombel.model.price_list import ListedNetwork, ListedOffer, ListedQuota, ListedVersion, PriceList
from rombel.model.quantity import HOURS_PER_MONTH


class ChangeKind(StrEnum):
    """What happened to an offer, a type or a zone."""

    NEW = "new"
    GONE = "gone"
    DEARER = "dearer"
    CHEAPER = "cheaper"
    STOCK_OUT = "out of stock"
    BACK = "back in stock"
    QUOTA = "quota changed"
    CHANGED = "changed"


@dataclass(frozen=True, slots=True)
class ListChange:
    """One difference: what it is about, its kind, and both values as text (empty where there is none)."""

    kind: ChangeKind
    subject: str
    before: str = ""
    after: str = ""


def compare_lists(before: PriceList | None, after: PriceList) -> list[ListChange]:
    """Return every difference, regions and zones first, then types, offers and the rest; no list before: all new."""
    # Everything is new against an empty list.
    old = before or PriceList(after.provider, after.currency, after.dated, (), (), ())
    changes = list(_named(_zones(old), _zones(after), "zone"))
    changes += _named({entry.name: entry for entry in old.types}, {entry.name: entry for entry in after.types}, "type")
    was, now = {entry.key: entry for entry in old.offers}, {entry.key: entry for entry in after.offers}
    for key in sorted(was.keys() | now.keys()):
        changes += _offer_changes(was.get(key), now.get(key))
    for part, word in _OTHERS.items():
        was_there, is_there = ({_name_of(entry): entry for entry in getattr(own, part)} for own in (old, after))
        changes += _named(was_there, is_there, word)
    if before is not None and before.network != after.network:
        fields = _fields_that_differ(before.network, after.network)
        nothing = ListedNetwork()
        kind = ChangeKind.NEW if before.network == nothing else ChangeKind.CHANGED
        kind = ChangeKind.GONE if after.network == nothing else kind
        changes.append(ListChange(kind, "what is asked of ranges and names", *fields))
    return changes


_OTHERS = {
    "disks": "disk",
    "tiers": "tier",
    "fees": "fee",
    "terms": "commitment",
    "per_use": "per use",
    "versions": "version",
    "quotas": "quota",
}
"""What else a list holds, and how one of them is called."""


def _name_of(entry: Any) -> str:
    if isinstance(entry, ListedQuota):
        return f"{entry.region}, {entry.name}"
    return str(entry.version if isinstance(entry, ListedVersion) else entry.name)


def _zones(listed: PriceList) -> dict[str, str]:
    return {f"{region.name}/{zone}": "" for region in listed.regions for zone in region.zones}


def _named(before: Mapping[str, object], after: Mapping[str, object], word: str) -> Iterator[ListChange]:
    for name in sorted(before.keys() | after.keys()):
        if name not in before:
            yield ListChange(ChangeKind.NEW, f"{word} {name}")
        elif name not in after:
            yield ListChange(ChangeKind.GONE, f"{word} {name}")
        elif before[name] != after[name]:
            yield ListChange(ChangeKind.CHANGED, f"{word} {name}", *_fields_that_differ(before[name], after[name]))


def _fields_that_differ(before: object, after: object) -> tuple[str, str]:
    """Return both values of the fields that differ, as ``field value`` pairs."""
    # Frozen values have slots; their names are the fields.
    names = [name for name in type(before).__slots__ if getattr(before, name) != getattr(after, name)]  # type: ignore[attr-defined]
    return (
        ", ".join(f"{name} {getattr(before, name)}" for name in names),
        ", ".join(f"{name} {getattr(after, name)}" for name in names),
    )


def _offer_changes(before: ListedOffer | None, after: ListedOffer | None) -> Iterator[ListChange]:
    known = before or after
    if known is None:
        return
    subject = f"{known.instance_type} {known.purchase} in {known.region}/{known.zone}"
    if before is None or after is None:
        kind = ChangeKind.NEW if before is None else ChangeKind.GONE
        yield ListChange(kind, subject, _price(before), _price(after))
        return
    if before.price_per_hour != after.price_per_hour:
        dearer = after.price_per_hour > before.price_per_hour
        yield ListChange(ChangeKind.DEARER if dearer else ChangeKind.CHEAPER, subject, _price(before), _price(after))
    if before.in_stock != after.in_stock:
        yield ListChange(ChangeKind.BACK if after.in_stock else ChangeKind.STOCK_OUT, subject)
    if before.most_nodes != after.most_nodes:
        yield ListChange(
            ChangeKind.QUOTA, subject, str(before.most_nodes or "no quota"), str(after.most_nodes or "no quota")
        )
    if before.interruptions_per_hour != after.interruptions_per_hour:
        rates = (str(before.interruptions_per_hour), str(after.interruptions_per_hour))
        yield ListChange(ChangeKind.CHANGED, f"interruptions of {subject}", *rates)


def _price(offer: ListedOffer | None) -> str:
    return "" if offer is None else format(offer.price_per_hour, "f")


@dataclass(frozen=True, slots=True)
class Repriced:
    """A plan's nodes bought from another edition.

    Parameters
    ----------
    cost_per_month
        Of every node that is still offered, in the list's currency.
    missing
        ``type purchase in zone`` of nodes that are no longer to be had.

    """

    cost_per_month: Decimal
    missing: tuple[str, ...]


def reprice(nodes: Sequence[NodeBatch], offers: Iterable[ListedOffer], region: str) -> Repriced:
    """Return what the same nodes cost by an edition's offers; what is out of stock counts as missing."""
    prices = {
        (offer.zone, offer.instance_type, Purchase(offer.purchase)): offer.price_per_hour
        for offer in offers
        if offer.region == region and offer.in_stock
    }
    total, missing = Decimal(0), set()
    for batch in nodes:
        price = prices.get((batch.zone, batch.instance_type, batch.purchase))
        if price is None:
            missing.add(f"{batch.instance_type} {batch.purchase} in {batch.zone}")
        else:
            total += price * batch.count
    return Repriced(total * HOURS_PER_MONTH, tuple(sorted(missing)))
