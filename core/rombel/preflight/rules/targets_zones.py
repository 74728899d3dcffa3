"""A promise to survive a zone without a second zone."""

from __future__ import annotations

from rombel.model.fit_problem import Survival
from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("targets.zones", When.LOSS, "targets")
def one_zone(at: Situation) -> Found:
    """Stop: with one zone nothing is left when it is lost."""
    if at.survive is Survival.NONE or len(at.zones) != 1:
        return
    text = f"the loss of a zone is to be survived, and {at.zones[0]} is the only one"
    alone = at.zones_there is not None and at.zones_there < 2
    yield Grade.STOP, text, "Choose a region with more zones." if alone else "Choose another zone of the region too."
