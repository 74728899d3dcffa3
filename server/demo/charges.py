"""Invented charges for what the demo's variant "whole bill" plans: a month nearly as planned, and one with three surprises."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from decimal import Decimal
from fractions import Fraction

from demo.supply import DISKS, FEES, demo_price_list
from rombel.formats import write_cost_data
from rombel.ledger import HOUR, NODE, Account, Bill, Charge, cost_rows, hours_of_month
from rombel.model.beside import root_disk
from rombel.model.fit_problem import Purchase

CALM, SURPRISING = (2026, 6), (2026, 7)
"""Months of which there are charges."""
_RAN = {
    "auk-8": {"amber": 1, "cedar": 1},
    "auk-16": {"amber": 4, "birch": 4, "cedar": 4},
    "petrel-4": {"birch": 1, "cedar": 1},
    "petrel-8": {"amber": 1, "birch": 1, "cedar": 1},
    "tern-8": {"cedar": 1},
    "tern-16": {"amber": 3, "birch": 3, "cedar": 3},
    "wren-1": {"birch": 1},
    "wren-2": {"amber": 1, "cedar": 1},
}
"""Nodes that ran, as they were planned."""


def actual_charges(year: int, month: int) -> str:
    """Return a month as cost data.

    Surprises of one: two nodes with accelerators that nobody planned ran for nine days; traffic to the outside was two and a half times what was
    planned; birch's gateway was billed at a higher price.
    """
    hours = hours_of_month(year, month)
    bill = Bill("EUR", hours, tuple(_charges(hours, surprising=(year, month) == SURPRISING)))
    return write_cost_data(cost_rows(bill, year, month, Account("Mareel Line", "Skerry Compute", "north-sound")))


def _charges(hours: Fraction, *, surprising: bool) -> Iterator[Charge]:
    listed = demo_price_list("Skerry Compute")
    sold = {
        (offer.instance_type, offer.zone): offer.price_per_hour
        for offer in listed.offers
        if offer.purchase is Purchase.ON_DEMAND and offer.region == "north-sound"
    }
    vcpu = {entry.name: entry.vcpu for entry in listed.types}
    price = {fee.name: fee.price for fee in FEES}
    disk = root_disk("node disk", 50, DISKS[0].price_per_gib_month)
    for name, zones in _RAN.items():
        for zone, count in zones.items():
            node = Charge(NODE, name, "on-demand", zone, count, HOUR, sold[name, zone], hours)
            yield node
            yield replace(node, kind=disk.name, price=disk.price * disk.count)
            yield replace(node, kind="licence", price=price["licence"] * vcpu[name])
    if surprising:
        lost = Charge(NODE, "skua-8", "on-demand", "amber", 2, HOUR, sold["skua-8", "amber"], hours * 9 / 31)
        yield lost
        yield replace(lost, kind="licence", price=price["licence"] * vcpu["skua-8"])
    for zone in ("amber", "birch", "cedar"):
        dearer = Decimal("1.6") if surprising and zone == "birch" else Decimal(1)
        yield Charge("gateway", "", "", zone, 1, HOUR, price["gateway"] * dearer, hours)
        yield Charge("volume (zonal volume)", "", "", zone, 520, "GiB", DISKS[1].price_per_gib_month, hours / 730)
    yield Charge("load balancer", "", "", "", 2, HOUR, price["load balancer"], hours)
    yield Charge("control plane", "", "", "", 1, HOUR, Decimal("0.14"), hours)
    yield Charge("traffic between zones", "", "", "", 9000, "GiB", price["traffic between zones"], hours / 730)
    yield Charge("traffic out", "", "", "", 10_000 if surprising else 4200, "GiB", price["traffic out"], hours / 730)
