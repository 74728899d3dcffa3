"""What the API says of bills."""

from __future__ import annotations

from decimal import Decimal

from ninja import Schema


class ChargeOut(Schema):
    """A line of a bill: quantity times price times ``times`` (hours, or months where the unit is no hour), to the cent."""

    kind: str
    what: str
    purchase: str
    zone: str
    quantity: int
    unit: str
    price: str
    times: str
    amount: Decimal
    source: str


class BillPartOut(Schema):
    """What a part of a bill is made of."""

    name: str
    amount: Decimal


class SoldBesideOut(Schema):
    """What the price list sells beside nodes: a node disk by GiB and month, or a fee by its unit."""

    kind: str
    name: str
    unit: str
    price: str


class BillShareOut(Schema):
    """A part of a bill: whose it is, whether nobody asks for it (room that is kept, idle, shared), and what it is made of."""

    name: str
    amount: Decimal
    unassigned: bool
    parts: list[BillPartOut]


class BillOut(Schema):
    """A bill: its lines, and its parts by what was asked; lines sum to the total to the last cent, and so do the parts.

    ``left_out``: what the price list sells and the variant does not count.
    """

    fit_id: int
    currency: str
    words: str
    hours: str
    total: Decimal
    charges: list[ChargeOut]
    shares: list[BillShareOut]
    left_out: list[str]
    sold: list[SoldBesideOut]
