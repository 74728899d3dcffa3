"""Bills as files."""

from __future__ import annotations

from handover.files import CSV, about_of, named
from rombel.formats import write_cost_data
from rombel.formats.tables import write_bill_csv, write_shares_csv
from rombel.ledger import bill_rows
from runs.actual import planned_rows
from runs.bills import BillTold
from studies.models import Variant


def charges_file(told: BillTold) -> tuple[str, str, str]:
    """Return the lines of a bill as text, its media type and a file name."""
    return write_bill_csv(bill_rows(told.bill, told.amounts), _about(told)), CSV, _name(told, "bill")


def shares_file(told: BillTold) -> tuple[str, str, str]:
    """Return who pays what as text, its media type and a file name."""
    rows = [(share.name, share.amount) for share in told.shares]
    return (
        write_shares_csv(str(told.by), rows, told.bill.currency, _about(told)),
        CSV,
        _name(told, f"showback-by-{told.by}"),
    )


def cost_data_file(variant: Variant, month: str) -> tuple[str, str, str]:
    """Return a planned month as open cost data, its media type and a file name."""
    return write_cost_data(planned_rows(variant, month)), CSV, named(variant, f"cost-data-{month}.csv")


def _about(told: BillTold) -> dict[str, str]:
    return about_of(told.fit.variant) | {"fit": str(told.fit.pk), "period": told.words}


def _name(told: BillTold, what: str) -> str:
    return named(told.fit.variant, f"fit-{told.fit.pk}-{what}.csv")
