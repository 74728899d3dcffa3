"""A planned month as charges by day, in the columns of the FinOps Open Cost and Usage Specification."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from fractions import Fraction

from rombel.ledger.bill import HOUR, NODE, Bill, Charge, hours_of_month
from rombel.ledger.sharing import rounded
from rombel.model.cost_data import PRICING

DIGITS = 6
"""Digits of an amount of a day; all of a month sum to the bill rounded to as many."""
_CATEGORY = {
    "Networking": ("gateway", "balancer", "traffic", "address"),
    "Storage": ("disk", "volume"),
    "Compute": ("node", "control plane", "licence", "per use"),
}


@dataclass(frozen=True, slots=True)
class Account:
    """Who is billed, by whom, for what region."""

    account: str
    provider: str
    region: str


def cost_rows(bill: Bill, year: int, month: int, account: Account) -> Iterator[Mapping[str, str]]:
    """Yield a row for each charge and day of a month; the bill is for the hours of that month."""
    days = int(hours_of_month(year, month) / 24)
    begin = datetime(year, month, 1, tzinfo=UTC)
    # All days rounded together: a month of rounded days would miss its bill by some cents.
    amounts = rounded({(n, day): c.amount / days for n, c in enumerate(bill.charges) for day in range(days)}, DIGITS)
    period = {"BillingPeriodStart": _time(begin), "BillingPeriodEnd": _time(begin + timedelta(days=days))}
    common = {
        **period,
        "BillingAccountId": account.account,
        "BillingAccountName": account.account,
        "BillingCurrency": bill.currency,
        "InvoiceIssuerName": account.provider,
        "ProviderName": account.provider,
        "PublisherName": account.provider,
        "RegionId": account.region,
        "RegionName": account.region,
        "ChargeCategory": "Usage",
        "Tags": "{}",
    }
    for number, charge in enumerate(bill.charges):
        own = common | _of_charge(charge, days)
        # A plan runs the same every day; what changes through the month is told by a rehearsal.
        for day in range(days):
            cost = format(amounts[number, day], "f")
            yield own | {
                "ChargePeriodStart": _time(begin + timedelta(days=day)),
                "ChargePeriodEnd": _time(begin + timedelta(days=day + 1)),
                **dict.fromkeys(("BilledCost", "ContractedCost", "EffectiveCost", "ListCost"), cost),
            }


def _of_charge(charge: Charge, days: int) -> dict[str, str]:
    quantity = _decimal(charge.quantity * charge.times / days)
    unit = "Hours" if charge.unit == HOUR else charge.unit
    item = item_of(charge)
    words = " ".join(
        part
        for part in (charge.kind if charge.kind != NODE else "node", charge.what, charge.purchase, charge.zone)
        if part
    )
    return {
        "AvailabilityZone": charge.zone,
        "ChargeDescription": words,
        # A commitment is charged whether its node runs or not.
        "ChargeFrequency": "Usage-Based" if charge.purchase != "committed" else "Recurring",
        "ConsumedQuantity": quantity,
        "ConsumedUnit": unit,
        "PricingQuantity": quantity,
        "PricingUnit": unit,
        "PricingCategory": PRICING.get(charge.purchase, "Standard"),
        "ListUnitPrice": format(charge.price, "f"),
        "ContractedUnitPrice": format(charge.price, "f"),
        "ResourceType": item,
        # In this order, as a volume's name may hold the word node and a gateway's traffic the word volume.
        "ServiceCategory": next(
            (name for name, words in _CATEGORY.items() if any(w in charge.kind for w in words)), "Other"
        ),
        "ServiceName": "nodes" if charge.kind == NODE else charge.kind,
        "SkuId": item,
        "SkuPriceId": "/".join(part for part in (item, charge.purchase, charge.zone) if part),
    }


def item_of(charge: Charge) -> str:
    """Return what a charge is told to be for: the instance type of a node, else what is paid beside it."""
    return charge.what if charge.kind == NODE else charge.kind


def _time(when: datetime) -> str:
    return when.strftime("%Y-%m-%dT%H:%M:%SZ")


def _decimal(amount: Fraction) -> str:
    exact = Decimal(amount.numerator) / Decimal(amount.denominator)
    return format(exact.quantize(Decimal("1e-9")).normalize(), "f")
