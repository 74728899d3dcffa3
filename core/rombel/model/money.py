"""Money in several currencies: exact decimals, converted at rates that are stated and dated."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import date
from decimal import ROUND_HALF_EVEN, Decimal

from rombel.errors import refuse

NINE_DECIMALS = Decimal("0.000000001")


@dataclass(frozen=True, slots=True)
class Rates:
    """What one unit of each currency is worth in the base, on a day.

    Parameters
    ----------
    base
        Currency the rates are stated in.
    dated
        The day they hold for; None: none are stated.
    worth
        Currency code to units of the base, above zero.

    """

    base: str
    dated: date | None = None
    worth: Mapping[str, Decimal] = field(default_factory=dict)

    def factor(self, source: str, target: str) -> Decimal:
        """Return what one unit of a currency is in another.

        Raises
        ------
        InputRefused
            When one of them has no rate.

        """
        if source == target:
            return Decimal(1)
        return self._worth(source) / self._worth(target)

    def convert(self, amount: Decimal, source: str, target: str) -> Decimal:
        """Return an amount in another currency, to nine decimals, halves to even."""
        return self.exchange(source, target)(amount)

    def exchange(self, source: str, target: str) -> Callable[[Decimal], Decimal]:
        """Return what converts many amounts, to nine decimals, halves to even; refused at once without a rate."""
        if source == target:
            return lambda amount: amount
        factor = self.factor(source, target)
        return lambda amount: (amount * factor).quantize(NINE_DECIMALS, ROUND_HALF_EVEN)

    def _worth(self, currency: str) -> Decimal:
        if currency == self.base:
            return Decimal(1)
        if currency not in self.worth:
            raise refuse(
                "money.rate", "currency", f"No rate is stated for {currency}.", f"State what one {currency} is worth."
            )
        return self.worth[currency]
