"""Offers as CSV (RFC 4180): a line for each offer, with its instance type beside it.

Columns (any order): ``region, zone, instance_type, family, vcpu, memory, architecture, most_pods, price_per_hour``
and, optional, ``purchase, most_nodes, interruptions_per_hour, in_stock, accelerators, disk, most_volumes,
network_mbps``. Memory and disk are quantities (``16Gi``); what a line says of a type must agree with the others.
Disks, tiers and fees are not in this table: they stand in the JSON form only.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Mapping
from dataclasses import replace
from datetime import date
from decimal import Decimal
from typing import Any

from rombel.errors import Fault, InputRefused, refuse
from rombel.formats._cells import Cells, header_faults
from rombel.formats.demand_columns import read_count
from rombel.model.fit_problem import Purchase
from rombel.model.price_list import ListedOffer, ListedRegion, ListedType, PriceList, price_list_faults
from rombel.model.quantity import memory_bytes, parse_price, show_memory

REQUIRED = (
    "region",
    "zone",
    "instance_type",
    "family",
    "vcpu",
    "memory",
    "architecture",
    "most_pods",
    "price_per_hour",
)
OPTIONAL = (
    "purchase",
    "most_nodes",
    "interruptions_per_hour",
    "in_stock",
    "accelerators",
    "disk",
    "most_volumes",
    "network_mbps",
)
OFFER_COLUMNS = (*REQUIRED, *OPTIONAL)


def read_offers_csv(text: str, provider: str, currency: str, dated: date) -> PriceList:
    """Return the price list that the lines make; what a line cannot say is stated beside the text.

    Raises
    ------
    InputRefused
        With every fault and its line and column.

    """
    # Spreadsheets put a byte order mark before the first name, which would be part of it.
    reader = csv.DictReader(io.StringIO(text.removeprefix("\ufeff"), newline=""), strict=True)
    try:
        header = [name.strip().lower() for name in reader.fieldnames or ()]
        faults = header_faults(header, REQUIRED) or _unknown(header)
        if not faults:
            reader.fieldnames = header
            # A quoted cell may run over several lines; the reader knows which line of the text it is at, a count would not.
            lines = [(reader.line_num, row) for row in reader]
    except csv.Error as error:
        faults = [Fault("csv.text", "", f"This is not CSV: {error}.", "Double quotes inside quotes.", reader.line_num)]
    if faults:
        raise InputRefused(faults)
    return _listed(lines, header, PriceList(provider, currency, dated, (), (), ()))


def _unknown(header: list[str]) -> list[Fault]:
    fix = f"Use {', '.join(OFFER_COLUMNS)}."
    return [
        Fault("csv.column", name, f"There is no column '{name}'.", fix, 1, index + 1)
        for index, name in enumerate(header)
        if name not in OFFER_COLUMNS
    ]


def _listed(lines: list[tuple[int, dict[str, Any]]], header: list[str], empty: PriceList) -> PriceList:
    types: dict[str, ListedType] = {}
    zones: dict[str, dict[str, None]] = {}
    offers, faults, places = [], [], []
    for line, row in lines:
        # More cells than columns stand under None, missing ones are None.
        if None in row or None in row.values():
            reason = f"The line has not as many fields as the header ({len(header)})."
            faults.append(Fault("csv.width", "", reason, "Check commas and quotes.", line, 1))
            continue
        entry, offer, wrong = _line(row, header, line)
        faults += wrong
        if wrong:
            continue
        # A type stands once in a list and in a line for each of its offers here: the lines have to agree.
        if types.setdefault(entry.name, entry) != entry:
            reason = f"What this line says of '{entry.name}' differs from a line above."
            faults.append(Fault("catalogue.type", "instance_type", reason, "Make both alike.", line, 1))
        # A dictionary for its order: zones keep the order in which they are first named.
        zones.setdefault(offer.region, {})[offer.zone] = None
        offers.append(offer)
        places.append(line)
    regions = tuple(ListedRegion(name, tuple(found)) for name, found in zones.items())
    listed = replace(empty, regions=regions, types=tuple(types.values()), offers=tuple(offers))
    for fault in price_list_faults(listed):
        # The rules name the place in the list; people look for the line.
        index = int(fault.path.partition("[")[2].partition("]")[0])
        faults.append(replace(fault, line=places[index] if fault.path.startswith("offers") else 0, column=1))
    if faults:
        raise InputRefused(faults)
    return listed


def _line(row: Mapping[str, str], header: list[str], line: int) -> tuple[ListedType, ListedOffer, list[Fault]]:
    """Return the type and the offer of a line, and every fault of its cells."""
    reader = Cells(row, header, line, OPTIONAL)
    cell = reader.take
    entry = ListedType(
        name=cell("instance_type", _name, ""),
        family=cell("family", _name, ""),
        vcpu=cell("vcpu", lambda text: read_count(text, 1), 1),
        memory_bytes=cell("memory", _memory, 1),
        architecture=cell("architecture", _name, ""),
        most_pods=cell("most_pods", lambda text: read_count(text, 1), 1),
        accelerators=cell("accelerators", lambda text: read_count(text, 0), 0),
        disk_bytes=cell("disk", memory_bytes, 0),
        most_volumes=cell("most_volumes", lambda text: read_count(text, 0), None),
        network_mbps=cell("network_mbps", lambda text: read_count(text, 0), None),
    )
    offer = ListedOffer(
        region=cell("region", _name, ""),
        zone=cell("zone", _name, ""),
        instance_type=entry.name,
        purchase=cell("purchase", _purchase, Purchase.ON_DEMAND),
        # After a fault the value stands in for the cell, so that the rest of the line is read and told of too.
        price_per_hour=cell("price_per_hour", parse_price, Decimal(1)),
        most_nodes=cell("most_nodes", lambda text: read_count(text, 0), None),
        interruptions_per_hour=cell("interruptions_per_hour", parse_price, None),
        in_stock=cell("in_stock", _stock, True),
    )
    return entry, offer, reader.faults


def _name(text: str) -> str:
    if not text or len(text) > 80 or not text.isprintable():
        raise refuse("catalogue.name", "", f"'{text[:60]}' is no name.", "Use 1 to 80 printable characters.")
    return text


def _memory(text: str) -> int:
    amount = memory_bytes(text)
    # As far as JSON's numbers are exact in every reader.
    if not 0 < amount < 2**53:
        raise refuse("catalogue.memory", "", f"'{text}' is no memory of a node.", "Write an amount such as 16Gi.")
    return amount


def _purchase(text: str) -> Purchase:
    try:
        return Purchase(text.lower())
    except ValueError:
        fix = f"Use one of {', '.join(Purchase)}."
        raise refuse("catalogue.purchase", "", f"'{text}' is no kind of purchase.", fix) from None


def _stock(text: str) -> bool:
    if text.lower() not in ("yes", "no"):
        raise refuse("catalogue.stock", "", f"'{text}' is neither yes nor no.", "Write yes or no.")
    return text.lower() == "yes"


def write_offers_csv(listed: PriceList) -> str:
    """Return the offers as CSV; ``read_offers_csv`` gives the same offers and types back."""
    out = io.StringIO(newline="")
    writer = csv.writer(out)
    writer.writerow(OFFER_COLUMNS)
    types = {entry.name: entry for entry in listed.types}
    for offer in listed.offers:
        cells = {**_type_cells(types[offer.instance_type]), **_offer_cells(offer)}
        writer.writerow(["" if cells[name] is None else cells[name] for name in OFFER_COLUMNS])
    return out.getvalue()


def _type_cells(entry: ListedType) -> dict[str, Any]:
    plain = ("family", "vcpu", "architecture", "most_pods", "accelerators", "most_volumes", "network_mbps")
    amounts = {"memory": show_memory(entry.memory_bytes), "disk": show_memory(entry.disk_bytes)}
    return {"instance_type": entry.name, **amounts, **{name: getattr(entry, name) for name in plain}}


def _offer_cells(offer: ListedOffer) -> dict[str, Any]:
    rate = offer.interruptions_per_hour
    return {
        "region": offer.region,
        "zone": offer.zone,
        "purchase": str(offer.purchase),
        "price_per_hour": format(offer.price_per_hour, "f"),
        "most_nodes": offer.most_nodes,
        "interruptions_per_hour": None if rate is None else format(rate, "f"),
        "in_stock": "yes" if offer.in_stock else "no",
    }
