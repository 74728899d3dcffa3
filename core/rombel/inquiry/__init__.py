"""Questions asked of a fit: what each promise costs, why no other type, what conflicts, what other levels need."""

from rombel.inquiry.conflicts import Conflict, conflict
from rombel.inquiry.promises import PromisePrice, price_promises
from rombel.inquiry.rules import Rule, rules_of
from rombel.inquiry.standing import Standings, TypeStanding, standings

__all__ = [
    "Conflict",
    "PromisePrice",
    "Rule",
    "Standings",
    "TypeStanding",
    "conflict",
    "price_promises",
    "rules_of",
    "standings",
]
