"""Reads of rehearsals: those that were asked for, what stands at a moment of one, and the limits that hold."""

from __future__ import annotations

from typing import Any

from accounts.action import Missing
from rombel.simulate.rehearsal import Standing
from runs.models import Inquiry, Question
from runs.queries import latest_fit
from runs.questions import QUESTIONS
from runs.questions.pool_limits import pool_limits
from runs.questions.rehearsal import RehearsalGiven, Rehearsed, moment_of
from studies.models import Variant

MOST_RUNS = 20


def rehearsal_runs(variant: Variant) -> list[dict[str, Any]]:
    """Return the newest rehearsals of a variant, the newest first."""
    kind = QUESTIONS[Question.REHEARSAL]
    rows = variant.inquiries.filter(question=Question.REHEARSAL).select_related("job").order_by("-pk")[:MOST_RUNS]
    told = []
    for row in rows:
        given: RehearsalGiven = kind.given_of(row)
        # Of the answer only the short part is read: twenty whole ones are megabytes.
        first = row.answer.get("seeds", {}).get("0")
        told.append(
            {
                "id": row.pk,
                "asked_at": row.job.created_at.isoformat(timespec="seconds"),
                "status": row.status,
                "words": given.scenario.words,
                "days": given.scenario.days,
                "late_share": first["late_share"] if first else None,
                "cost": first["cost"] if first else None,
            }
        )
    return told


def moment(row: Inquiry, at_s: int) -> Standing:
    """Return what stands at a moment of a rehearsal; ``Missing`` where it was another question, or nothing was played up to there."""
    found: Rehearsed | None = (
        QUESTIONS[Question.REHEARSAL].answer_of(row) if row.question == Question.REHEARSAL else None
    )
    if found is None or found.outcome is None or not 0 <= at_s <= found.outcome.reached_s:
        raise Missing(f"Inquiry {row.pk} has no rehearsal that was played up to second {at_s}.")
    return moment_of(row, at_s)


def limits_in_force(variant: Variant) -> dict[str, Any]:
    """Return the limits that hold for a variant, and where they come from."""
    held = pool_limits(variant, latest_fit(variant))
    return {
        "origin": held.origin,
        "limits": [
            {"instance_type": name, "purchase": str(purchase), "zone": zone, "least": r.least, "most": r.most, "kept_back": r.kept_back}
            for (name, purchase, zone), r in held.ranges.items()
        ],
    }  # fmt: skip
