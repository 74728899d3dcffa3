"""Signing a plan off: what is frozen of it, what keeps it from being signed, and how many sign."""

from rombel.signing.seen import SeenDrill, SeenFinding, SeenJourney, SeenPlan, digest_of_seen, read_seen, seen_value
from rombel.signing.terms import hurdles, signatures_needed

__all__ = [
    "SeenDrill",
    "SeenFinding",
    "SeenJourney",
    "SeenPlan",
    "digest_of_seen",
    "hurdles",
    "read_seen",
    "seen_value",
    "signatures_needed",
]
