"""The questions that can be asked of a variant beside its fit; one a file, found by its name."""

from runs.questions import (
    conflict,
    drills,
    frontier,
    levels,
    limits,
    per_use,
    promises,
    regions,
    rehearsal,
    simulation,
    sizing,
    steps,
    ways,
)
from runs.questions.asking import QUESTIONS, CostOfChange, Occasion, QuestionKind

__all__ = [
    "QUESTIONS",
    "Occasion",
    "QuestionKind",
    "CostOfChange",
    "conflict",
    "drills",
    "frontier",
    "levels",
    "limits",
    "per_use",
    "promises",
    "regions",
    "rehearsal",
    "simulation",
    "sizing",
    "steps",
    "ways",
]
