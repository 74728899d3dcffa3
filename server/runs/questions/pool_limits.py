"""The autoscaling limits that hold for a variant: those stated, else those of its design of all levels."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum

from rombel.inquiry import ranges_around
from rombel.model.fit_problem import OfferKey, Purchase
from rombel.model.rehearsal import PoolRange
from runs.models import Fit, Question
from runs.questions.asking import QUESTIONS
from runs.questions.levels import DesignOfLevels
from runs.stored import stored_solution
from studies.models import Variant


class Origin(StrEnum):
    """Where limits come from."""

    STATED = "stated"
    LEVELS = "levels"
    FIT = "fit"


@dataclass(frozen=True, slots=True)
class PoolLimits:
    """Limits by offer, where they come from, and the newest design of all levels (None: there is none, or it found no plan)."""

    origin: Origin
    ranges: dict[OfferKey, PoolRange]
    design: DesignOfLevels | None


def pool_limits(variant: Variant, fit: Fit | None = None) -> PoolLimits:
    """Return the limits that hold for a variant; where there are none, those around what stands in a fit (None: none at all)."""
    row = variant.inquiries.filter(question=Question.LEVELS).order_by("pk").last()
    found: DesignOfLevels | None = None if row is None else QUESTIONS[Question.LEVELS].answer_of(row)
    design = found if found is not None and found.limits else None
    if variant.limits:
        stated = {
            (entry["instance_type"], Purchase(entry["purchase"]), entry["zone"]): PoolRange(
                entry["least"], entry["most"], entry["kept_back"]
            )
            for entry in variant.limits
        }
        return PoolLimits(Origin.STATED, stated, design)
    if design is not None:
        planned = {(e.instance_type, e.purchase, e.zone): PoolRange(e.least, e.most) for e in design.limits}
        return PoolLimits(Origin.LEVELS, planned, design)
    return PoolLimits(Origin.FIT, {} if fit is None else ranges_around(stored_solution(fit)), None)
