"""Cost data as CSV in the FinOps Open Cost and Usage Specification, version 1.0: planned charges out, actual charges in.

Written are all 43 columns under the names of the published text (from memory); on reading the names of the rule set of the specification
body's validator (``Provider``, ``ResourceID`` and so on) are taken too. Times are UTC, ends of periods are not part of them.
"""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping
from datetime import UTC, datetime, timedelta
from decimal import Decimal, InvalidOperation

from rombel.errors import Fault, InputRefused, refuse
from rombel.formats._cells import Cells, guarded, header_faults, unguarded
from rombel.formats.reading import MOST_FAULTS
from rombel.model.cost_data import PURCHASE, ActualCharge

COST_COLUMNS = (
    "AvailabilityZone", "BilledCost", "BillingAccountId", "BillingAccountName", "BillingCurrency", "BillingPeriodEnd", "BillingPeriodStart",
    "ChargeCategory", "ChargeClass", "ChargeDescription", "ChargeFrequency", "ChargePeriodEnd", "ChargePeriodStart",
    "CommitmentDiscountCategory", "CommitmentDiscountId", "CommitmentDiscountName", "CommitmentDiscountStatus", "CommitmentDiscountType",
    "ConsumedQuantity", "ConsumedUnit", "ContractedCost", "ContractedUnitPrice", "EffectiveCost", "InvoiceIssuerName", "ListCost",
    "ListUnitPrice", "PricingCategory", "PricingQuantity", "PricingUnit", "ProviderName", "PublisherName", "RegionId", "RegionName",
    "ResourceId", "ResourceName", "ResourceType", "ServiceCategory", "ServiceName", "SkuId", "SkuPriceId", "SubAccountId", "SubAccountName",
    "Tags",
)  # fmt: skip
OTHER_NAMES = {
    "InvoiceIssuer": "InvoiceIssuerName",
    "Provider": "ProviderName",
    "Publisher": "PublisherName",
    "ResourceID": "ResourceId",
}
NEEDED = ("BilledCost", "BillingCurrency", "ChargePeriodStart", "ChargePeriodEnd", "ServiceName")
_OPTIONAL = tuple(name for name in COST_COLUMNS if name not in NEEDED)


def write_cost_data(rows: Iterable[Mapping[str, str]]) -> str:
    """Return charges as CSV with every column; what a row does not state is empty."""
    text = io.StringIO(newline="")
    writer = csv.writer(text)
    writer.writerow(COST_COLUMNS)
    writer.writerows([guarded(row.get(name, "")) for name in COST_COLUMNS] for row in rows)
    return text.getvalue()


def read_cost_data(text: str, year: int, month: int, currency: str) -> tuple[ActualCharge, ...]:
    """Return the charges of a month, every one or none.

    Raises
    ------
    InputRefused
        With every fault and its line and column: columns that are missing, amounts, times that are not UTC or of another month,
        another currency, a charge that stands twice.

    """
    reader = csv.DictReader(io.StringIO(text.removeprefix("\ufeff"), newline=""), strict=True)
    try:
        header = [OTHER_NAMES.get(name.strip(), name.strip()) for name in reader.fieldnames or ()]
        faults = header_faults(header, NEEDED)
        if faults:
            raise InputRefused(faults)
        reader.fieldnames = header
        lines = [(reader.line_num, row) for row in reader]
    except csv.Error as error:
        raise refuse("csv.text", "", f"Line {reader.line_num}: {error}.", "Write RFC 4180 CSV.") from None
    charges: list[ActualCharge] = []
    seen: dict[tuple[str, ...], int] = {}
    for line, row in lines:
        cells = Cells(row, header, line, _OPTIONAL, "costs")
        charges.append(_charge(cells, line, (year, month), currency))
        whole = tuple((row.get(name) or "").strip() for name in header)
        # The same line again is the same charge: whoever joined two exports would pay it twice.
        if (first := seen.setdefault(whole, line)) != line:
            cells.refuse("BilledCost", f"This charge stands in line {first} already.", "Keep one of them.")
        if None in row:
            cells.refuse("", "The line has more cells than the header has columns.", "Quote cells that hold commas.")
        faults += cells.faults
    if not charges and not faults:
        faults = [Fault("costs.empty", "", "There is no charge in the file.", "Hand in a month of charges.", 2, 1)]
    if faults:
        raise InputRefused(faults[:MOST_FAULTS])
    return tuple(charges)


def _charge(cells: Cells, line: int, month: tuple[int, int], currency: str) -> ActualCharge:
    start, end = (cells.take(f"ChargePeriod{name}", _time, None) for name in ("Start", "End"))
    if start is not None and (start.year, start.month) != month:
        reason = f"{start:%Y-%m-%d} is not of {month[0]}-{month[1]:02d}."
        cells.refuse("ChargePeriodStart", reason, "Hand in the charges of one month.")
    if start is not None and end is not None and not start < end <= start + timedelta(days=32):
        cells.refuse(
            "ChargePeriodEnd",
            "The period ends before it starts, or lasts longer than a month.",
            "Ends are exclusive, in UTC.",
        )
    stated = cells.take("BillingCurrency", str, currency)
    if stated != currency:
        cells.refuse(
            "BillingCurrency",
            f"The charge is in '{stated[:8]}', the study in {currency}.",
            "Convert the file's amounts first.",
        )
    kind = cells.take("PricingCategory", str, "")
    names = [unguarded(cells.take(name, str, "")) for name in ("ResourceType", "SkuId", "ServiceName")]
    item = next((name for name in names if name), "")
    category = cells.take("ChargeCategory", str, "Usage")
    return ActualCharge(
        # Taxes and credits are of no resource: they are told by what they are.
        item=item if category in ("", "Usage", "Purchase") else category.lower(),
        purchase=PURCHASE.get(kind, ""),
        zone=unguarded(cells.take("AvailabilityZone", str, "")),
        start=start or datetime(month[0], month[1], 1, tzinfo=UTC),
        end=end or datetime(month[0], month[1], 2, tzinfo=UTC),
        quantity=cells.take("PricingQuantity", _amount, None),
        unit=cells.take("PricingUnit", str, ""),
        cost=cells.take("BilledCost", _amount, Decimal(0)),
        line=line,
    )


def _time(text: str) -> datetime:
    """Return a time of ISO 8601 that says that it is UTC."""
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        raise refuse("costs.time", "", f"'{text[:40]}' is no time.", "Write such as 2026-11-01T00:00:00Z.") from None
    if found.tzinfo is None or found.utcoffset() != timedelta(0):
        raise refuse(
            "costs.zone", "", f"'{text[:40]}' does not say that it is UTC.", "Write times in UTC, with a Z at the end."
        )
    return found


def _amount(text: str) -> Decimal:
    try:
        found = Decimal(text)
    except InvalidOperation:
        found = Decimal("NaN")
    if not found.is_finite() or abs(found) >= 10**15 or len(text) > 40:
        raise refuse("costs.amount", "", f"'{text[:40]}' is no amount.", "Write a decimal with a point, such as 12.50.")
    return found
