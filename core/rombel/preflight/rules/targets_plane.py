"""A control plane that a loss stops."""

from __future__ import annotations

from rombel.model.fit_problem import Survival
from rombel.preflight.rule import Found, Grade, Mend, When, rule
from rombel.preflight.situation import Situation

_THREE = Mend("Take three members", control_plane_members=3)


@rule("targets.plane", When.LOSS, "targets")
def plane(at: Situation) -> Found:
    """Care: while no majority stands, nothing heals, scales or lands; without a promise to survive a zone none is broken."""
    if at.plane is None or at.survive is Survival.NONE:
        return
    if at.plane.members == 1:
        text = "the control plane has one member: while it is down nothing heals, scales or lands"
        yield Grade.CARE, text, "Choose three members or five, in several zones.", _THREE
    elif at.plane.members % 2 == 0:
        text = (
            f"a control plane of {at.plane.members} members survives no more losses than one of {at.plane.members - 1}"
        )
        yield Grade.CARE, text, "Choose an odd number.", _THREE
    elif at.plane.spans_zones is False:
        text = (
            f"the control plane's tier '{at.plane.tier}' stands in one zone: losing that zone stops healing and landing"
        )
        yield Grade.CARE, text, "Choose a tier that stands in several zones."
