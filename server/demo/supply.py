"""The invented catalogue: providers, regions, zones, instance types and prices, from one seed."""

from __future__ import annotations

import random
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from datetime import date
from decimal import ROUND_HALF_EVEN, Decimal

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
)

GIB = 2**30
TEN_THOUSANDTH = Decimal("0.0001")
FIRST_EDITION = date(2026, 6, 1)


@dataclass(frozen=True, slots=True)
class Family:
    """A family of instance types: GiB per vCPU, EUR per vCPU and hour, sizes in vCPUs."""

    name: str
    gib_per_vcpu: int
    price_per_vcpu: str
    sizes: tuple[int, ...]
    architecture: str = "amd64"


FAMILIES = (
    Family("tern", 4, "0.0465", (2, 4, 8, 16)),
    Family("auk", 2, "0.0398", (4, 8, 16)),
    Family("eider", 8, "0.0604", (4, 8, 16)),
    Family("wren", 4, "0.0439", (1, 2)),
    Family("petrel", 4, "0.0392", (4, 8, 16), "arm64"),
    Family("fulmar", 6, "0.0571", (4, 8)),
)

METAL = (Family("gannet", 4, "0.0331", (16, 64)), Family("puffin", 8, "0.0428", (32,)))


@dataclass(frozen=True, slots=True)
class DemoRegion:
    """A region of the demo: zones with their price level, families sold, and what is missing where."""

    provider: str
    name: str
    zones: tuple[tuple[str, str], ...]
    families: tuple[Family, ...]
    missing: frozenset[tuple[str, str]] = frozenset()
    note: str = ""


REGIONS = (
    DemoRegion(
        "Skerry Compute",
        "north-sound",
        (("amber", "1.000"), ("birch", "1.004"), ("cedar", "0.996")),
        FAMILIES,
        frozenset({("fulmar-8", "cedar")}),
        "three zones, nearly everything everywhere",
    ),
    DemoRegion(
        "Skerry Compute",
        "inner-firth",
        (("dune", "0.982"), ("elder", "0.979"), ("fern", "0.985")),
        FAMILIES,
        frozenset(
            {
                ("petrel-4", "fern"),
                ("petrel-8", "fern"),
                ("petrel-16", "fern"),
                ("eider-16", "fern"),
                ("auk-16", "fern"),
            }
        ),
        "three zones, several types missing in fern",
    ),
    DemoRegion("Skerry Compute", "far-isle", (("gull", "0.902"),), FAMILIES[:4], note="one zone, cheap"),
    DemoRegion("Holm Metal", "yard", (("hall", "1.000"), ("annex", "1.012")), METAL, note="own racks, few sizes"),
)


SKUA = Family("skua", 8, "0.2210", (8, 16))
NEW_TYPE = Family("tern", 4, "0.0458", (32,))
CURRENCY = {"Skerry Compute": "EUR", "Holm Metal": "GBP"}
POUND = Decimal("1.1620")
"""What Holm Metal's currency was worth in the first sheet of rates; its prices were calculated by that."""

DISKS = (
    ListedDisk("node disk", "node", Decimal("0.085")),
    ListedDisk("zonal volume", "zone", Decimal("0.102")),
    ListedDisk("fast zonal volume", "zone", Decimal("0.190")),
)
TIERS = {
    "Skerry Compute": (
        ListedTier("single", 1, Decimal(0)),
        ListedTier("tended", 3, Decimal("0.10"), Decimal("0.9950")),
        ListedTier("tended across zones", 3, Decimal("0.14"), Decimal("0.9995"), True),
        ListedTier("guarded across zones", 5, Decimal("0.32"), Decimal("0.9999"), True),
    ),
    "Holm Metal": (
        ListedTier("own, single", 1, Decimal(0)),
        ListedTier("own, three", 3, Decimal("0.06"), None, True),
    ),
}
TERMS = {
    "Skerry Compute": (
        ListedTerm("a year, monthly", "instance type", 12, Decimal("0.68")),
        ListedTerm("a year, at once", "instance type", 12, Decimal("0.61"), Decimal(1)),
        ListedTerm(
            "three years, half at once", "instance type", 36, Decimal("0.47"), Decimal("0.5"), ("tern", "auk", "eider")
        ),
        ListedTerm("family, a year", "family", 12, Decimal("0.74"), families=("tern", "eider")),
        ListedTerm("any node, a year", "spend", 12, Decimal("0.82")),
    ),
    "Holm Metal": (),
}
"""Of three years the share is low, and what is bought for the peak alone never earns it back; a year's rarely does at 0.82."""
PER_USE = (
    ListedPerUse(
        "tide",
        Decimal("0.0000158"),
        Decimal("0.0000017"),
        tuple(
            (cpu, gib * GIB // 4)
            for cpu, gibs in ((250, (2, 4)), (500, (4, 8)), (1000, (8, 16)), (2000, (16, 32)), (4000, (32, 64)))
            for gib in gibs
        ),
        FAMILIES[0].architecture,
        60,
    ),
)
VERSIONS = (
    ListedVersion("1.28", date(2026, 10, 31)),
    ListedVersion("1.29", date(2027, 2, 28)),
    ListedVersion("1.30", date(2027, 6, 30)),
    ListedVersion("1.31", date(2027, 10, 31)),
    ListedVersion("1.32"),
)
QUOTAS = (
    ListedQuota("north-sound", "tern vCPUs", 480, family="tern"),
    ListedQuota("north-sound", "all vCPUs", 900),
    ListedQuota("north-sound", "interruptible nodes in cedar", 12, "nodes", "", "cedar", Purchase.INTERRUPTIBLE),
    ListedQuota("inner-firth", "all vCPUs", 600),
    ListedQuota("far-isle", "all vCPUs", 400),
)
NETWORK = {
    "Skerry Compute": ListedNetwork(5, one_route_table=True, longest_name=40),
    "Holm Metal": ListedNetwork(2, longest_name=24, name_prefix="yard-"),
}
FEES = (
    ListedFee("gateway", "hour", Decimal("0.045")),
    ListedFee("public address", "hour", Decimal("0.005")),
    ListedFee("load balancer", "hour", Decimal("0.028")),
    ListedFee("licence", "vCPU-hour", Decimal("0.011")),
    ListedFee("traffic between zones", "GiB", Decimal("0.01")),
    ListedFee("traffic out", "GiB", Decimal("0.07")),
)


def demo_price_list(provider: str, dated: date = FIRST_EDITION, seed: int = 23) -> PriceList:
    """Return a provider's edition of a month; the first is the one that the demo's studies were computed with."""
    month = (dated.year - FIRST_EDITION.year) * 12 + dated.month - FIRST_EDITION.month
    regions = [region for region in REGIONS if region.provider == provider]
    offers = [offer for offer in _offers(seed) if any(offer.region == region.name for region in regions)]
    if provider == "Holm Metal":
        offers = [replace(offer, price_per_hour=_round(offer.price_per_hour / POUND)) for offer in offers]
    else:
        offers = list(_other_purchases(offers, seed))
    if month > 0:
        offers = list(_drifted(offers, f"{seed} {provider} {month}"))
    if month > 0 and provider == REGIONS[0].provider:
        offers += _family_offers(REGIONS[0], (NEW_TYPE,), random.Random(seed + 3))
    sold = {offer.instance_type for offer in offers}
    return PriceList(
        provider=provider,
        currency=CURRENCY[provider],
        dated=dated.replace(day=1),
        regions=tuple(ListedRegion(r.name, tuple(zone for zone, _ in r.zones), r.note) for r in regions),
        types=tuple(entry for entry in _types(provider) if entry.name in sold),
        offers=tuple(offers),
        disks=DISKS,
        tiers=TIERS[provider],
        fees=FEES,
        terms=TERMS[provider],
        per_use=PER_USE if provider == "Skerry Compute" else (),
        versions=VERSIONS,
        quotas=QUOTAS if provider == "Skerry Compute" else (),
        network=NETWORK[provider],
    )


def _types(provider: str) -> Iterator[ListedType]:
    families = METAL if provider == "Holm Metal" else (*FAMILIES, SKUA, NEW_TYPE)
    for family in families:
        for size in family.sizes:
            yield ListedType(
                name=f"{family.name}-{size}",
                family=family.name,
                vcpu=size,
                memory_bytes=size * family.gib_per_vcpu * GIB,
                architecture=family.architecture,
                most_pods=58 if size <= 2 else 110,
                accelerators=size // 8 if family is SKUA else 0,
                disk_bytes=size * 60 * GIB if family.name == "fulmar" else 0,
                most_volumes=16 if size <= 4 else 28,
                network_mbps=min(25_000, 1250 * size),
            )


def _offers(seed: int) -> Iterator[ListedOffer]:
    """Yield every on-demand offer; prices carry small irregularities, so that the cheapest answer is not obvious."""
    rng = random.Random(seed)
    for region in REGIONS:
        yield from _family_offers(region, region.families, rng)
    for region in REGIONS[:2]:
        yield from (replace(offer, most_nodes=8) for offer in _family_offers(region, (SKUA,), random.Random(seed + 1)))


def _family_offers(region: DemoRegion, families: Iterable[Family], rng: random.Random) -> Iterator[ListedOffer]:
    quota = 24 if region.provider == "Holm Metal" else None
    for family in families:
        for size in family.sizes:
            own = Decimal(str(round(rng.uniform(0.985, 1.015), 4)))
            for zone, level in region.zones:
                name = f"{family.name}-{size}"
                price = Decimal(family.price_per_vcpu) * size * own * Decimal(level)
                if (name, zone) not in region.missing:
                    yield ListedOffer(region.name, zone, name, Purchase.ON_DEMAND, _round(price), quota)


def _other_purchases(offers: Iterable[ListedOffer], seed: int) -> Iterator[ListedOffer]:
    """Yield each offer with its interruptible and committed ones; large nodes are interrupted more often."""
    rng = random.Random(seed + 2)
    for offer in offers:
        yield offer
        low, rate = Decimal(str(round(rng.uniform(0.28, 0.38), 3))), round(rng.uniform(0.002, 0.02), 4)
        if not offer.instance_type.startswith("skua"):
            yield replace(
                offer,
                purchase=Purchase.INTERRUPTIBLE,
                price_per_hour=_round(offer.price_per_hour * low),
                interruptions_per_hour=Decimal(str(rate)),
            )
        yield replace(
            offer, purchase=Purchase.COMMITTED, price_per_hour=_round(offer.price_per_hour * Decimal("0.655"))
        )


def _drifted(offers: Iterable[ListedOffer], seed: str) -> Iterator[ListedOffer]:
    """Yield the offers as a later month lists them: some prices moved, one offer gone, some out of stock."""
    rng = random.Random(seed)
    moved = {name: Decimal(str(round(rng.uniform(0.97, 1.04), 3))) for name in ("auk", "eider", "petrel", "wren")}
    for offer in offers:
        family, _, size = offer.instance_type.partition("-")
        factor = moved.get(family, Decimal(1)) if offer.purchase is not Purchase.COMMITTED else Decimal(1)
        if (offer.instance_type, offer.zone) == ("fulmar-4", "elder"):
            continue
        stock = not (offer.purchase is Purchase.INTERRUPTIBLE and size == "16" and rng.random() < 0.3)
        yield replace(offer, price_per_hour=_round(offer.price_per_hour * factor), in_stock=stock)


def _round(price: Decimal) -> Decimal:
    return price.quantize(TEN_THOUSANDTH, ROUND_HALF_EVEN)
