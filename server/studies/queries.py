"""Reads of studies and their parts."""

from __future__ import annotations

from django.db.models import QuerySet

from accounts.action import Missing
from studies.models import Study, Variant


def all_studies() -> QuerySet[Study]:
    """Return every study with its variants, newest first."""
    return Study.objects.prefetch_related("variants", "workloads").order_by("-created_at", "-id")


def study_by_id(study_id: int) -> Study:
    """Return a study; ``Missing`` when there is none."""
    study = Study.objects.filter(pk=study_id).first()
    if study is None:
        raise Missing(f"There is no study {study_id}.")
    return study


def variant_by_id(variant_id: int) -> Variant:
    """Return a variant with its study and region; ``Missing`` when there is none."""
    variant = Variant.objects.select_related("study__rates", "region__edition__provider").filter(pk=variant_id).first()
    if variant is None:
        raise Missing(f"There is no variant {variant_id}.")
    return variant
