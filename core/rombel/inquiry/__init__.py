"""Questions asked of a fit: what each promise costs, why no other type, what conflicts, what other levels need."""

from rombel.inquiry.conflicts import Conflict, conflict
from rombel.inquiry.levels import Design, PoolLimit, design
from rombel.inquiry.promises import PromisePrice, price_promises
from rombel.inquiry.rules import Rule, rules_apart, rules_of
from rombel.inquiry.standing import Standing, Standings, TypeStanding, standings

__all__ = [
    "Conflict",
    "Design",
    "PoolLimit",
    "PromisePrice",
    "Rule",
    "Standing",
    "Standings",
    "TypeStanding",
    "conflict",
    "design",
    "price_promises",
    "rules_apart",
    "rules_of",
    "standings",
]
