"""What is paid beside the price of a node: on every node, in every zone that is used, or once for the study."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import ROUND_HALF_EVEN, Decimal
from enum import StrEnum

from rombel.errors import Fault
from rombel.model.fit_problem import Offer
from rombel.model.quantity import HOURS_PER_MONTH

DIGITS = Decimal("1e-9")
"""Prices an hour have nine decimals."""
UNITS = {"vCPU-hour": ("vcpu",), "hour": ("node", "zone", "study"), "GiB": ("study", "out", "crossing")}
"""Units of fees, and what each may be counted by."""


class Per(StrEnum):
    """What a cost is counted by."""

    VCPU = "vcpu"
    NODE = "node"
    ZONE = "zone"
    STUDY = "study"
    OUT = "out"
    CROSSING = "crossing"


TRAFFIC = (Per.OUT, Per.CROSSING)
"""What traffic is counted by."""


@dataclass(frozen=True, slots=True)
class BesideCost:
    """Something that is paid beside nodes.

    Parameters
    ----------
    name, unit, price
        As the price list states them, in the study's currency.
    per, count
        How many there are of it on each node (by vCPU: for each), in each zone that is used, or in all; of GiB in a month. Of traffic to the
        outside (``out``) or between zones (``crossing``) as many as the study states, or what its rows state if that is more.

    """

    name: str
    unit: str
    price: Decimal
    per: Per
    count: int = 1


def root_disk(name: str, gib: int, price_per_gib_month: Decimal) -> BesideCost:
    """Return a disk of so many GiB on every node, its price an hour to nine decimals."""
    price = (price_per_gib_month / HOURS_PER_MONTH).quantize(DIGITS, ROUND_HALF_EVEN)
    return BesideCost(f"root disk ({name})", "hour", price, Per.NODE, gib)


def on_node(costs: Iterable[BesideCost], vcpu: int) -> tuple[tuple[str, Decimal], ...]:
    """Return by name what a node with so many vCPU costs an hour beside its own price."""
    counted = (
        (cost, cost.count * (vcpu if cost.per is Per.VCPU else 1)) for cost in costs if cost.per in (Per.VCPU, Per.NODE)
    )
    return tuple((cost.name, cost.price * number) for cost, number in counted if cost.price * number > 0)


def with_beside(offer: Offer, costs: Sequence[BesideCost], vcpu: int) -> Offer:
    """Return an offer whose price holds what its node costs beside it, so that what is minimised is what is paid."""
    beside = on_node(costs, vcpu)
    more = sum((price for _, price in beside), Decimal(0))
    return replace(offer, price_per_hour=offer.price_per_hour + more, beside=beside) if beside else offer


def on_zones(costs: Iterable[BesideCost], zones: Iterable[str]) -> dict[str, tuple[tuple[str, Decimal], ...]]:
    """Return by zone the names and amounts of what is paid an hour once the zone is used."""
    own = tuple((cost.name, cost.price * cost.count) for cost in costs if cost.per is Per.ZONE and cost.price)
    return dict.fromkeys(zones, own) if own else {}


def count_faults(name: str, unit: str, per: str, count: int, path: str) -> Iterator[Fault]:
    """Yield why a fee cannot be counted so."""
    allowed = UNITS.get(unit, ())
    if per not in allowed:
        reason = f"'{name}' is sold by {unit}, which is not counted by {per}."
        fix = (
            f"Count it by {' or '.join(allowed)}."
            if allowed
            else "Leave it out: fees by hour, vCPU-hour and GiB are counted."
        )
        yield Fault("ledger.per", f"{path}.per", reason, fix)
    # Traffic may be left to the rows to state.
    least = 0 if per in TRAFFIC else 1
    if not least <= count <= 100_000_000:
        fix = f"State {least} to 100000000."
        yield Fault("ledger.count", f"{path}.count", f"{count} of '{name}' are not counted.", fix)
