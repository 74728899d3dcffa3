"""Workloads that a zone's loss takes whole although several replicas run."""

from __future__ import annotations

from rombel.model.fit_problem import Survival
from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("fit.one_zone", When.LOSS, "fit")
def one_zone(at: Situation) -> Found:
    """Note: they come back where room is kept, and nothing of them serves until then."""
    spread = len({zone for on in at.standing.values() for _, zone in on}) > 1
    names = [name for name, on in at.standing.items() if len({zone for _, zone in on}) == 1 and on.total() > 1]
    if names and spread and at.survive in (Survival.LANDING, Survival.GROWING):
        text = f"all replicas stand in one zone, so that none serves until they have landed: {some(names)}"
        yield Grade.NOTE, text, "State a zone skew of 1 where some must serve throughout."
