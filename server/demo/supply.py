"""The invented catalogue: providers, regions, zones, instance types and prices, from one seed."""

from __future__ import annotations

import random
from dataclasses import dataclass
from decimal import ROUND_HALF_EVEN, Decimal

GIB = 2**30


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


@dataclass(frozen=True, slots=True)
class DemoType:
    """An instance type of a provider."""

    provider: str
    name: str
    family: str
    vcpu: int
    memory_bytes: int
    architecture: str
    most_pods: int


@dataclass(frozen=True, slots=True)
class DemoOffer:
    """An on-demand offer."""

    region: str
    zone: str
    type_name: str
    price_per_hour: Decimal
    most_nodes: int | None


def demo_types() -> list[DemoType]:
    """Return every instance type of both providers."""
    return [
        DemoType(
            provider=provider,
            name=f"{family.name}-{size}",
            family=family.name,
            vcpu=size,
            memory_bytes=size * family.gib_per_vcpu * GIB,
            architecture=family.architecture,
            most_pods=58 if size <= 2 else 110,
        )
        for provider, families in (("Skerry Compute", FAMILIES), ("Holm Metal", METAL))
        for family in families
        for size in family.sizes
    ]


def demo_offers(seed: int = 23) -> list[DemoOffer]:
    """Return every offer; prices carry small irregularities, so that the cheapest answer is not obvious."""
    rng = random.Random(seed)
    offers = []
    for region in REGIONS:
        for family in region.families:
            for size in family.sizes:
                own = Decimal(str(round(rng.uniform(0.985, 1.015), 4)))
                for zone, level in region.zones:
                    name = f"{family.name}-{size}"
                    price = Decimal(family.price_per_vcpu) * size * own * Decimal(level)
                    if (name, zone) not in region.missing:
                        quota = 24 if region.provider == "Holm Metal" else None
                        rounded = price.quantize(Decimal("0.0001"), ROUND_HALF_EVEN)
                        offers.append(DemoOffer(region.name, zone, name, rounded, quota))
    return offers
