"""Hard spread over zones that lets nothing land while a lost zone's nodes are still listed."""

from __future__ import annotations

from rombel.model.fit_problem import Survival
from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("demand.spread", When.LOSS, "demand")
def pinned(at: Situation) -> Found:
    """Note: a zone whose nodes are listed and hold nothing pins the least count at 0 (API reference, ``TopologySpreadConstraint``).

    The other zones then bear as many replicas as the skew, until somebody takes the lost nodes off the list.
    """
    moving, zones = (Survival.LANDING, Survival.GROWING), len(at.zones)
    names = [
        row.full_name
        for row in at.rows
        if row.zone_skew is not None
        and row.promised
        and (row.survive_zone or at.survive) in moving
        and row.replicas > (zones - 1) * row.zone_skew
    ]
    if zones > 1 and names:
        text = f"while a lost zone's nodes are still listed, the hard spread lets nothing of {some(names)} land"
        yield Grade.NOTE, text, "Take lost nodes off the list at once, as the drill's steps say."
