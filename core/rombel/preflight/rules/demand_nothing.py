"""Workloads that request nothing."""

from __future__ import annotations

from rombel.model.pod import Amounts
from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("demand.nothing", When.RUNNING, "demand")
def nothing(at: Situation) -> Found:
    """Care: what requests nothing is packed anywhere and evicted first."""
    names = [row.full_name for row in at.rows if row.request == Amounts()]
    if names:
        text = f"nothing is requested, so that any node seems to have room: {some(names)}"
        yield Grade.CARE, text, "State a request, or measure its use."
