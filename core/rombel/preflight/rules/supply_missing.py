"""Instance types that are not offered where a lost zone's nodes would grow."""

from __future__ import annotations

from rombel.model.fit_problem import Survival
from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("supply.missing", When.LOSS, "supply")
def not_offered(at: Situation) -> Found:
    """Care: what grows after a loss grows on another type there, or not at all."""
    if at.problem is None or at.survive is not Survival.GROWING:
        return
    zones = {key[2] for key in at.nodes}
    offered = {entry.name: {offer.zone for offer in entry.offers} for entry in at.problem.instance_types}
    for name in sorted({key[0] for key in at.nodes}):
        if lacking := zones - offered.get(name, set()):
            text = f"{name} is not offered in {some(lacking)}: nothing of it can grow there when another zone is lost"
            yield Grade.CARE, text, "Choose a type that every zone offers, or see that others are allowed there."
