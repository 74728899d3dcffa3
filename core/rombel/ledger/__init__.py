"""The bill of a fit: every charge, who pays for what, and the periods it is for."""

from rombel.ledger.bill import (
    HOUR,
    MONTH,
    NODE,
    Bill,
    Charge,
    bill_of,
    bill_rows,
    hours_of_month,
    hours_until,
    month_of,
)
from rombel.ledger.sharing import (
    HEADROOM_ROOM,
    IDLE,
    KEPT,
    SHARED,
    STANDING,
    UNASSIGNED,
    line_amounts,
    rounded,
    shared_out,
    spread,
)

__all__ = [
    "HEADROOM_ROOM",
    "HOUR",
    "IDLE",
    "KEPT",
    "MONTH",
    "NODE",
    "SHARED",
    "STANDING",
    "UNASSIGNED",
    "Bill",
    "Charge",
    "bill_of",
    "bill_rows",
    "hours_of_month",
    "hours_until",
    "line_amounts",
    "month_of",
    "rounded",
    "shared_out",
    "spread",
]
