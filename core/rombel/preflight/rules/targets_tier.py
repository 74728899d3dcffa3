"""A control plane whose provider promises less than a journey needs."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule
from rombel.preflight.situation import Situation


@rule("targets.tier", When.RUNNING, "targets")
def promises_less(at: Situation) -> Found:
    """Note: what serves goes on while the API is away, but nothing heals or scales, so that a journey hangs on more luck than its target allows."""
    if at.plane is None or at.plane.uptime is None or at.highest_target is None:
        return
    name, target = at.highest_target
    if at.plane.uptime < target:
        text = f"the tier '{at.plane.tier}' promises {100 * at.plane.uptime:f} % of its API, '{name}' needs {100 * target:f} %"
        yield Grade.NOTE, text, "See under Availability what its absence costs, or choose a tier that promises more."
