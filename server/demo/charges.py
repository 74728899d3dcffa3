"""A month of invented charges for what the demo's variant "whole bill" plans: nearly the plan, and three surprises."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import replace
from decimal import Decimal

from demo.supply import DISKS, FEES, demo_price_list
from rombel.formats import write_cost_data
from rombel.ledger import HOUR, NODE, Account, Bill, Charge, cost_rows, hours_of_month
from rombel.model.beside import root_disk
from rombel.model.fit_problem import Purchase

MONTH = "2026-07"
_HOURS = hours_of_month(2026, 7)
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


def actual_charges() -> str:
    """Return the month as cost data.

    Surprises: two nodes with accelerators that nobody planned ran for nine days; traffic to the outside was two and a half times what was
    planned; birch's gateway was billed at a higher price.
    """
    charges = tuple(_charges())
    bill = Bill("EUR", _HOURS, charges)
    return write_cost_data(cost_rows(bill, 2026, 7, Account("Mareel Line", "Skerry Compute", "north-sound")))


def _charges() -> Iterator[Charge]:
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
            node = Charge(NODE, name, "on-demand", zone, count, HOUR, sold[name, zone], _HOURS)
            yield node
            yield replace(node, kind=disk.name, price=disk.price * disk.count)
            yield replace(node, kind="licence", price=price["licence"] * vcpu[name])
    lost = Charge(NODE, "skua-8", "on-demand", "amber", 2, HOUR, sold["skua-8", "amber"], _HOURS * 9 / 31)
    yield lost
    yield replace(lost, kind="licence", price=price["licence"] * vcpu["skua-8"])
    for zone in ("amber", "birch", "cedar"):
        dearer = Decimal("1.6") if zone == "birch" else Decimal(1)
        yield Charge("gateway", "", "", zone, 1, HOUR, price["gateway"] * dearer, _HOURS)
        yield Charge("volume (zonal volume)", "", "", zone, 520, "GiB", DISKS[1].price_per_gib_month, _HOURS / 730)
    yield Charge("load balancer", "", "", "", 2, HOUR, price["load balancer"], _HOURS)
    yield Charge("control plane", "", "", "", 1, HOUR, Decimal("0.14"), _HOURS)
    yield Charge("traffic between zones", "", "", "", 9000, "GiB", price["traffic between zones"], _HOURS / 730)
    yield Charge("traffic out", "", "", "", 10_000, "GiB", price["traffic out"], _HOURS / 730)
