"""Volumes that keep replicas from landing in another zone."""

from __future__ import annotations

from rombel.model.fit_problem import Survival
from rombel.preflight.rule import Found, Grade, Mend, When, rule, some
from rombel.preflight.situation import Situation


@rule("demand.zonal_volume", When.LOSS, "demand")
def left_behind(at: Situation) -> Found:
    """Care: only replicas that stand elsewhere survive the loss of a zone."""
    moving = (Survival.LANDING, Survival.GROWING)
    names = [
        row.full_name
        for row in at.rows
        if row.pod.bound_to_zone and row.promised and (row.survive_zone or at.survive) in moving
    ]
    if names:
        text = f"replicas with a zonal volume cannot land in another zone: {some(names)}"
        mend = Mend("Let them survive by standing", {key: {"promised": "standing"} for key in names})
        yield Grade.CARE, text, "Let them survive by standing, or use volumes that follow.", mend
