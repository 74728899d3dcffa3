"""Images and other things that joining nodes fetch, which cannot be had in their zone."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("supply.needed", When.JOINING, "preflight")
def elsewhere(at: Situation) -> Found:
    """Stop where no zone of the plan has it, care where some have not: these zones depend on another one, and fall with it."""
    used = sorted({key[2] for key in at.nodes})
    for entry in at.build.needed:
        lacking = [zone for zone in used if entry.zones and zone not in entry.zones]
        if lacking and len(lacking) == len(used):
            where = ", ".join(sorted(entry.zones))
            yield Grade.STOP, f"{entry.what} can be had in {where}, and no node of the plan stands there", _FIX
        elif lacking:
            text = f"{entry.what} cannot be had in {', '.join(lacking)}: nodes there fetch it from another zone"
            yield Grade.CARE, text, _FIX


_FIX = "Bring a copy into every zone of the plan, or state where else it can be had."
