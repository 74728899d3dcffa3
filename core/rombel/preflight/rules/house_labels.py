"""Workloads without the labels that the house requires."""

from __future__ import annotations

from rombel.preflight.rule import Found, Grade, When, rule, some
from rombel.preflight.situation import Situation


@rule("house.labels", When.START, "demand")
def unlabelled(at: Situation) -> Found:
    """Care: what carries no label is nobody's on the bill."""
    if at.unlabelled:
        keys = ", ".join(sorted({key for keys in at.unlabelled.values() for key in keys}))
        text = f"{len(at.unlabelled)} workloads lack the required label {keys}: {some(at.unlabelled)}"
        yield Grade.CARE, text, "Type the labels in their rows."
