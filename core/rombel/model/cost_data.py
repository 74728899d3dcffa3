"""Charges as a provider bills them, in the terms of the FinOps Open Cost and Usage Specification, version 1.0."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from decimal import Decimal

PRICING = {"on-demand": "Standard", "interruptible": "Dynamic", "committed": "Committed"}
"""How a kind of purchase is called there."""
PURCHASE = {category: purchase for purchase, category in PRICING.items()}


@dataclass(frozen=True, slots=True)
class ActualCharge:
    """A charge that was billed.

    Parameters
    ----------
    item
        What was bought: the type of the resource, else its unit of sale, else the service.
    purchase, zone
        Kind of purchase (empty: not stated) and zone (empty: none).
    start, end
        When it was used, UTC; the end is not part of it.
    quantity, unit
        How much was priced; None: not stated.
    cost
        What was billed; negative for a credit.
    line
        Of the file.

    """

    item: str
    purchase: str
    zone: str
    start: datetime
    end: datetime
    quantity: Decimal | None
    unit: str
    cost: Decimal
    line: int = 0
