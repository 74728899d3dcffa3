"""Reads of studies and their parts."""

from __future__ import annotations

from typing import NamedTuple
from uuid import UUID

from django.db.models import Max, Min, Q, QuerySet, Subquery

from accounts.action import Missing
from accounts.models import AuditEntry
from catalogue.queries import rates_by_id, region_by_id
from studies.models import Edit, LargeText, Study, Variant, Workload


def open_studies() -> QuerySet[Study]:
    """Return the studies that are not put away, newest first."""
    return Study.objects.filter(archived_at=None).order_by("-created_at", "-id")


def study_by_id(study_id: int) -> Study:
    """Return a study; ``Missing`` when there is none."""
    study = Study.objects.filter(pk=study_id).first()
    if study is None:
        raise Missing(f"There is no study {study_id}.")
    return study


class Step(NamedTuple):
    """An edit that can be undone, or done again, and what is told of it."""

    number: int
    words: str


def next_steps(study: Study) -> tuple[Step | None, Step | None]:
    """Return the edit that would be undone next, and the one that would be done again; None: there is none."""
    own = Edit.objects.filter(study=study).order_by()
    done = own.filter(undone=False).values("study").annotate(at=Max("pk")).values("at")
    undone = own.filter(undone=True).values("study").annotate(at=Min("pk")).values("at")
    # What an import changed may be megabytes; only its words are read.
    found = Edit.objects.filter(Q(pk=Subquery(done)) | Q(pk=Subquery(undone))).values_list("undone", "pk", "summary")
    steps = {taken_back: Step(number, words) for taken_back, number, words in found}
    return steps.get(False), steps.get(True)


def workloads_by_name(study: Study) -> dict[str, Workload]:
    """Return a study's rows by ``namespace/name``."""
    return {f"{row.namespace}/{row.name}": row for row in study.workloads.all()}


def variant_by_id(variant_id: int) -> Variant:
    """Return a variant with its study and region; ``Missing`` when there is none."""
    variant = (
        Variant.objects.select_related("study__running")
        # A listing may have thousands of pods, and hardly any view of a variant looks at them.
        .defer("study__running__content")
        .filter(pk=variant_id)
        .first()
    )
    if variant is None:
        raise Missing(f"There is no variant {variant_id}.")
    # Each apart, as an answer before may have looked them up; a statement over all the tables takes longer to plan than these to run.
    if variant.region_id is not None:
        variant.region = region_by_id(variant.region_id)
    if variant.study.rates_id is not None:
        variant.study.rates = rates_by_id(variant.study.rates_id)
    return variant


def variant_of_study(variant_id: int, study: Study) -> Variant:
    """Return a variant of a study; ``Missing`` when it has none of that number."""
    variant = variant_by_id(variant_id)
    if variant.study_id != study.pk:
        raise Missing(f"This study has no variant {variant_id}.")
    return variant


def trail_of(study: Study) -> QuerySet[AuditEntry]:
    """Return every mutation of a study and of its variants, those taken out included."""
    variants = Variant.every.filter(study=study).values_list("pk", flat=True)
    subjects = [f"study:{study.pk}", *(f"variant:{key}" for key in variants)]
    return AuditEntry.objects.filter(subject__in=subjects).select_related("actor")


def workload_by_key(study: Study, key: UUID) -> Workload:
    """Return a row of a study's demand; ``Missing`` when there is none."""
    row = study.workloads.filter(key=key).first()
    if row is None:
        raise Missing(f"There is no row {key}.")
    return row


def large_text(text_id: int, study_id: int) -> LargeText:
    """Return a large text of the study without its content; ``Missing`` when there is none."""
    found = LargeText.objects.defer("content").filter(pk=text_id, study_id=study_id).first()
    if found is None:
        raise Missing(f"There is no text {text_id}.")
    return found
