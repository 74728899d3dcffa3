"""The bill of a fit: every charge, who pays for what, and the periods it is for."""

from rombel.ledger.bill import Bill, Charge, bill_of, bill_rows, hours_of_month, hours_until
from rombel.ledger.sharing import HEADROOM_ROOM, IDLE, KEPT, SHARED, STANDING, Unassigned, rounded, shared_out, spread

__all__ = [
    "HEADROOM_ROOM",
    "IDLE",
    "KEPT",
    "SHARED",
    "STANDING",
    "Bill",
    "Charge",
    "Unassigned",
    "bill_of",
    "bill_rows",
    "hours_of_month",
    "hours_until",
    "rounded",
    "shared_out",
    "spread",
]
