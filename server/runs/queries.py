"""Reads of runs and fits."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.db.models import Count, QuerySet

from accounts.action import Missing
from config.shared import once_here
from jobs.versions import code_version
from rombel.errors import InputRefused
from rombel.formats import write_problem
from runs.inputs import digest_of, inputs_of
from runs.models import Fit, Inquiry, Question, Run
from studies.adapt import problem_of
from studies.models import Variant

WITHOUT_ANSWER = ("infeasible", "unknown")
"""Statuses of fits that hold no plan."""
TEXTS = ("solution", "stated__text")
"""What of a fit is read only where it is handed out or is not yet known as values: up to megabytes."""
SEEN_S = 3600
"""The fingerprint of inputs that nobody looks at is forgotten after so long."""
MOST_OTHERS = 4
"""Variants whose last answer is tried as a start, beside the own."""


def run_by_id(run_id: int) -> Run:
    """Return a run; ``Missing`` when there is none."""
    run = Run.objects.filter(pk=run_id).first()
    if run is None:
        raise Missing(f"There is no run {run_id}.")
    return run


def fit_by_id(fit_id: int) -> Fit:
    """Return a fit; ``Missing`` when there is none."""
    fit = Fit.objects.select_related("variant__study").filter(pk=fit_id).first()
    if fit is None:
        raise Missing(f"There is no fit {fit_id}.")
    return fit


def latest_fit(variant: Variant) -> Fit | None:
    """Return the newest fit of a variant: of its newest run that has one, and not the one that came last."""
    return variant.fits.select_related("stated").defer(*TEXTS).order_by("run_id", "pk").last()


def latest_plan(variant: Variant) -> Fit | None:
    """Return the newest fit of a variant; None where there is none, or it has no nodes."""
    fit = latest_fit(variant)
    return None if fit is None or fit.status in WITHOUT_ANSWER else fit


def latest_answer(variant: Variant) -> Fit | None:
    """Return the newest fit of a variant that has nodes."""
    found = variant.fits.exclude(status__in=WITHOUT_ANSWER)
    return found.select_related("stated").defer(*TEXTS).order_by("run_id", "pk").last()


def near_answers(run: Run) -> list[Fit]:
    """Return answers close to a run's own: the cheapest of the same problem, which comes back when an edit is undone, and the variant's last."""
    same = Fit.objects.filter(variant__study_id=run.variant.study_id, digest=run.digest)
    same = same.exclude(status__in=WITHOUT_ANSWER).select_related("stated").order_by("cost_per_hour", "pk")
    found = (same.first(), latest_answer(run.variant))
    return list({fit.pk: fit for fit in found if fit is not None}.values())


def other_answers(run: Run) -> list[Fit]:
    """Return the last answers of the study's other variants in the same region: one to a stronger promise is one to a weaker."""
    others = run.variant.study.variants.filter(region=run.variant.region).exclude(pk=run.variant_id)
    found = (latest_answer(variant) for variant in others.order_by("position")[:MOST_OTHERS])
    return [fit for fit in found if fit is not None]


def latest_run(variant: Variant) -> Run | None:
    """Return the newest run of a variant."""
    counted: QuerySet[Run] = variant.runs.annotate(answers=Count("fits"))  # type: ignore[no-redef]
    return counted.last()


def present_digest(variant: Variant) -> tuple[str | None, list[dict[str, Any]]]:
    """Return the fingerprint of the variant's problem as it stands, or None and what keeps it from being one.

    Where the same inputs were run before, the problem is not made again.
    """
    inputs = inputs_of(variant)

    def found() -> tuple[str | None, list[dict[str, Any]]]:
        # The same inputs made a run before: its fingerprint is known and no problem need be made.
        known = variant.runs.filter(inputs=inputs).values_list("digest", flat=True).first()
        return (known, []) if known else _present_digest(variant)

    # Nor where somebody looked at the same inputs a moment ago; the code is part of the key, as it makes problems of them.
    return once_here(f"problem-{code_version()}-{variant.pk}-{inputs}", found, SEEN_S)


def _present_digest(variant: Variant) -> tuple[str | None, list[dict[str, Any]]]:
    try:
        return digest_of(write_problem(problem_of(variant))), []
    except InputRefused as refused:
        return None, [asdict(fault) for fault in refused.faults]


def latest_inquiry(variant: Variant, question: str) -> Inquiry | None:
    """Return the newest inquiry of a question of a variant."""
    return variant.inquiries.filter(question=Question(question)).defer("given").last()


def inquiry_by_id(inquiry_id: int) -> Inquiry:
    """Return an inquiry; ``Missing`` when there is none."""
    inquiry = Inquiry.objects.select_related("variant__study").filter(pk=inquiry_id).first()
    if inquiry is None:
        raise Missing(f"There is no inquiry {inquiry_id}.")
    return inquiry
