"""Private ranges without a gateway."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("addresses.gateway", When.JOINING, "addresses")
def no_gateway(at: Situation) -> Found:
    """Care: nodes with private addresses alone reach no image and no update without one; each zone needs its own to survive the others."""
    if at.plans and at.gateways == 0:
        text = "zones have private ranges and no gateway: nodes reach nothing outside, images included"
        yield Grade.CARE, text, "State a gateway for every zone, or make sure that images are inside."
