"""A price list as JSON: reading (strict, every fault with its path) and writing."""

from __future__ import annotations

import json
from collections.abc import Callable, Iterable, Mapping
from datetime import date
from decimal import Decimal
from typing import Any

from rombel.errors import Fault, InputRefused
from rombel.formats._json import load_strict, validate
from rombel.model.fit_problem import Purchase
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
    price_list_faults,
)
from rombel.model.quantity import parse_day, parse_price

FORMAT = "rombel-price-list/1"


def read_price_list(text: str) -> PriceList:
    """Return the price list that the JSON text states.

    Raises
    ------
    InputRefused
        With every fault: broken text, unknown keys, wrong types, prices not above zero, names unknown or twice.

    """
    return check_price_list(load_strict(text))


def check_price_list(raw: Any) -> PriceList:
    """Return the price list that plain JSON values state; refused with every fault."""
    validate(raw, "price-list-1")
    listed = price_list_of(raw)
    faults = price_list_faults(listed)
    if faults:
        raise InputRefused(faults)
    return listed


def price_list_of(raw: Mapping[str, Any]) -> PriceList:
    """Return the list that values of the right form state; prices and the date are refused with their paths."""
    faults: list[Fault] = []

    # A list of ten thousand offers with three slips is told of all three at once, and not of the first.
    def kept(parse: Callable[..., Any], *given: Any) -> Any:
        try:
            return parse(*given)
        except InputRefused as refused:
            faults.extend(refused.faults)
            return None

    dated = kept(parse_day, raw["dated"], "dated")
    offers = [kept(_offer, entry, f"offers[{index}]") for index, entry in enumerate(raw["offers"])]
    disks = [kept(_disk, entry, f"disks[{index}]") for index, entry in enumerate(raw.get("disks", ()))]
    fees = [kept(_fee, entry, f"fees[{index}]") for index, entry in enumerate(raw.get("fees", ()))]
    terms = [kept(_term, entry, f"terms[{index}]") for index, entry in enumerate(raw.get("terms", ()))]
    per_use = [kept(_per_use, entry, f"per_use[{index}]") for index, entry in enumerate(raw.get("per_use", ()))]
    versions = [kept(_version, entry, f"versions[{index}]") for index, entry in enumerate(raw.get("versions", ()))]
    if faults:
        raise InputRefused(faults)
    return PriceList(
        provider=raw["provider"],
        currency=raw["currency"],
        dated=dated,
        regions=tuple(ListedRegion(e["name"], tuple(e["zones"]), e.get("note", "")) for e in raw["regions"]),
        # The schema knows these fields by name and allows no others, so they need not be named again.
        types=tuple(ListedType(**entry) for entry in raw["types"]),
        offers=tuple(offers),
        disks=tuple(disks),
        tiers=tuple(_tier(entry) for entry in raw.get("tiers", ())),
        fees=tuple(fees),
        terms=tuple(terms),
        per_use=tuple(per_use),
        versions=tuple(versions),
        quotas=tuple(_quota(entry) for entry in raw.get("quotas", ())),
        network=ListedNetwork(**raw.get("network", {})),
    )


def _offer(raw: Mapping[str, Any], path: str) -> ListedOffer:
    rate = raw.get("interruptions_per_hour")
    return ListedOffer(
        region=raw["region"],
        zone=raw["zone"],
        instance_type=raw["instance_type"],
        purchase=Purchase(raw["purchase"]),
        price_per_hour=parse_price(raw["price_per_hour"], f"{path}.price_per_hour"),
        most_nodes=raw.get("most_nodes"),
        # Nothing stated is not the same as never: a rate of nought would make such a node seem safe.
        interruptions_per_hour=None if rate is None else Decimal(rate),
        in_stock=raw.get("in_stock", True),
    )


def _disk(raw: Mapping[str, Any], path: str) -> ListedDisk:
    return ListedDisk(raw["name"], raw["scope"], parse_price(raw["price_per_gib_month"], f"{path}.price_per_gib_month"))


def _fee(raw: Mapping[str, Any], path: str) -> ListedFee:
    return ListedFee(raw["name"], raw["unit"], parse_price(raw["price"], f"{path}.price"))


def _version(raw: Mapping[str, Any], path: str) -> ListedVersion:
    ends = raw.get("ends")
    return ListedVersion(raw["version"], None if ends is None else parse_day(ends, f"{path}.ends"))


def _quota(raw: Mapping[str, Any]) -> ListedQuota:
    purchase = raw.get("purchase")
    return ListedQuota(**{**raw, "purchase": None if purchase is None else Purchase(purchase)})


def _per_use(raw: Mapping[str, Any], path: str) -> ListedPerUse:
    # Seconds are cheap: these prices have many decimals, and stay exact.
    vcpu, gib = (parse_price(raw[name], f"{path}.{name}") for name in ("vcpu_second", "gib_second"))
    sizes = tuple((entry["cpu_millicores"], entry["memory_bytes"]) for entry in raw["sizes"])
    return ListedPerUse(raw["name"], vcpu, gib, sizes, raw["architecture"], raw.get("least_s", 0))


def _term(raw: Mapping[str, Any], path: str) -> ListedTerm:
    share = parse_price(raw["price_share"], f"{path}.price_share")
    upfront, families = Decimal(raw.get("upfront_share", "0")), tuple(raw.get("families", ()))
    return ListedTerm(raw["name"], raw["scope"], raw["months"], share, upfront, families)


def _tier(raw: Mapping[str, Any]) -> ListedTier:
    uptime = raw.get("uptime")
    return ListedTier(
        raw["name"],
        raw["members"],
        Decimal(raw["price_per_hour"]),
        None if uptime is None else Decimal(uptime),
        raw.get("spans_zones", False),
    )


def write_price_list(listed: PriceList) -> str:
    """Return the list as JSON text; ``read_price_list`` gives the same list back."""
    return json.dumps(price_list_value(listed), indent=1)


def price_list_value(listed: PriceList) -> dict[str, Any]:
    """Return the list as plain JSON values."""
    return {
        "format": FORMAT,
        "provider": listed.provider,
        "currency": listed.currency,
        "dated": listed.dated.isoformat(),
        **{part: _values(getattr(listed, part)) for part in ("regions", "types", "offers", "disks", "tiers", "fees")},
        # What came to the format later is written only where it is used: older lists keep their text and its fingerprint.
        **({"terms": _values(listed.terms)} if listed.terms else {}),
        **({"per_use": [_per_use_value(entry) for entry in listed.per_use]} if listed.per_use else {}),
        **({"versions": _values(listed.versions)} if listed.versions else {}),
        **({"quotas": _values(listed.quotas)} if listed.quotas else {}),
        **({"network": _values([listed.network])[0]} if listed.network != ListedNetwork() else {}),
    }


def _per_use_value(entry: ListedPerUse) -> dict[str, Any]:
    sizes = [{"cpu_millicores": cpu, "memory_bytes": memory} for cpu, memory in entry.sizes]
    prices = {name: format(getattr(entry, name), "f") for name in ("vcpu_second", "gib_second")}
    plain = {"name": entry.name, "architecture": entry.architecture, "least_s": entry.least_s}
    return {**plain, **prices, "sizes": sizes}


def _values(entries: Iterable[Any]) -> list[dict[str, Any]]:
    return [{name: _plain(getattr(entry, name)) for name in type(entry).__slots__} for entry in entries]


def _plain(value: Any) -> Any:
    """Return a value as JSON has it: money as text, tuples as lists."""
    if isinstance(value, Decimal):
        # As text, never as a number: JSON's readers make binary fractions of numbers.
        return format(value, "f")
    if isinstance(value, Purchase | date):
        return str(value)
    if isinstance(value, tuple):
        return list(value)
    return dict(value) if isinstance(value, Mapping) else value
