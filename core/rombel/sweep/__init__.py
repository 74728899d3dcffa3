"""Sweeps: one question over many fits, every choice under every future."""

from rombel.sweep.answers import Driver, Outcome, amounts, comparable, drivers, outcomes
from rombel.sweep.plan import MOST_POINTS, Choice, Point, Spread, SweepPlan, Unknown, draw
from rombel.sweep.problem import brought, targets_at
from rombel.sweep.sentence import MEASURED, Known, read_sentence, told

__all__ = [
    "MEASURED",
    "MOST_POINTS",
    "Choice",
    "Driver",
    "Known",
    "Outcome",
    "Point",
    "Spread",
    "SweepPlan",
    "Unknown",
    "amounts",
    "brought",
    "comparable",
    "draw",
    "drivers",
    "outcomes",
    "read_sentence",
    "targets_at",
    "told",
]
