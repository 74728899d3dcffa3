"""Answers that nobody needs any more go, by the house's rule, so that many edits do not fill the database."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from django.db import transaction
from django.db.models import Count, Exists, Min, OuterRef, Q
from django.utils import timezone

from house.models import RuleSet, present_rules
from jobs.models import ACTIVE
from rombel.model.keeping import kept_places
from runs.models import Downtime, Fit, Inquiry, Run, StatedProblem
from runs.queries import latest_answer
from studies.actions.of_study import held
from studies.models import Variant


@dataclass(frozen=True, slots=True)
class Kept:
    """How many answers there are, how many of them were handed in to be signed, since when, and what the house rules keep.

    ``newest`` answers of a variant and the last of each of so many ``days`` stay, then the last of each month.
    """

    answers: int
    handed_in: int
    oldest: datetime | None
    newest: int
    days: int


def kept_now() -> Kept:
    """Return what is kept."""
    rules = present_rules()
    told = Fit.objects.aggregate(
        answers=Count("pk"), handed_in=Count("pk", filter=Q(kept=True)), oldest=Min("created_at")
    )
    return Kept(**told, newest=rules.kept_answers, days=rules.kept_days)


def thin(variant: Variant) -> int:
    """Return how many answers of a variant were dropped, with the questions asked of them.

    Kept are what the house rules say, what was handed in to be signed, the newest plan, and what a worker is busy with.
    """
    with transaction.atomic():
        # Whoever hands a plan in holds the study too: it is kept before it is looked at here, or is gone before it is chosen.
        held(variant.study_id)
        rules = present_rules()
        dropped = _dropped(variant, rules)
        stated = set(Fit.objects.filter(pk__in=dropped).values_list("stated_id", flat=True))
        Fit.objects.filter(pk__in=dropped).delete()
        _questions(variant)
        # Of what was promised of a plan at different times the last counts.
        downtimes = Downtime.objects.filter(fit__variant=variant)
        last = downtimes.order_by("fit_id", "-pk").distinct("fit_id")
        downtimes.exclude(pk__in=list(last.values_list("pk", flat=True))).delete()
        stated |= _runs(variant, rules.kept_answers)
        # A text that somebody is about to use again is locked, and left alone.
        unused = [~Exists(rows.filter(stated=OuterRef("pk"))) for rows in (Fit.objects, Run.objects)]
        free = StatedProblem.objects.filter(*unused, pk__in=stated).select_for_update(skip_locked=True)
        StatedProblem.objects.filter(pk__in=list(free.values_list("pk", flat=True))).delete()
    return len(dropped)


def _dropped(variant: Variant, rules: RuleSet) -> list[int]:
    """Return the numbers of the answers that are dropped."""
    rows = list(variant.fits.order_by("run_id", "pk").values_list("pk", "created_at", "kept"))
    places = kept_places([at for _, at, _ in rows], timezone.now(), newest=rules.kept_answers, days=rules.kept_days)
    plan = latest_answer(variant)
    busy = set(Inquiry.objects.filter(variant=variant, job__status__in=ACTIVE).values_list("fit_id", flat=True))
    kept = {0 if plan is None else plan.pk, *busy, *_asked_last(variant).values()}
    return [pk for place, (pk, _, own) in enumerate(rows) if place not in places and not own and pk not in kept]


def _asked_last(variant: Variant) -> dict[int, int | None]:
    """Return of each question the newest that was asked, with the fit that it was asked of."""
    newest = variant.inquiries.order_by("question", "-pk").distinct("question")
    return dict(newest.values_list("pk", "fit_id"))


def _questions(variant: Variant) -> None:
    """Drop what was asked before the newest question of its kind, of the variant and of each fit that is kept."""
    of_fits = variant.inquiries.order_by("fit_id", "question", "-pk").distinct("fit_id", "question")
    kept = {*_asked_last(variant), *of_fits.exclude(fit=None).values_list("pk", flat=True)}
    variant.inquiries.exclude(pk__in=kept).exclude(job__status__in=ACTIVE).delete()


def _runs(variant: Variant, kept: int) -> set[int]:
    """Drop runs that left no answer, but for the newest ones, which pages may still ask about; return which texts they were of."""
    newest = list(variant.runs.order_by("-pk").values_list("pk", flat=True)[:kept])
    rows = variant.runs.filter(fits=None).exclude(pk__in=newest).exclude(job__status__in=ACTIVE)
    found = list(rows.values_list("pk", "stated_id"))
    Run.objects.filter(pk__in=[pk for pk, _ in found]).delete()
    return {stated for _, stated in found}
