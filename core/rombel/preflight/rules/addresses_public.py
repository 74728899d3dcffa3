"""A parent range that is not set aside for use inside."""

from __future__ import annotations

from rombel.addressing import standard_of
from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("addresses.public", When.RUNNING, "addresses")
def not_private(at: Situation) -> Found:
    """Care: whoever has these addresses on the internet cannot be reached from inside (RFC 1918, 6598, 4193)."""
    for plan in at.plans:
        if not standard_of(plan.parent):
            text = f"{plan.parent} is not set aside for use inside: parts of it may be others' addresses"
            yield Grade.CARE, text, "Take a parent of 10.0.0.0/8, 172.16.0.0/12, 192.168.0.0/16 or fc00::/7."
