"""Money as text."""

from __future__ import annotations

from decimal import ROUND_HALF_EVEN, Decimal

CENT = Decimal("0.01")


def money(amount: Decimal) -> str:
    """Return an amount to the cent, halves to even, without an exponent."""
    return format(amount.quantize(CENT, ROUND_HALF_EVEN), "f")
