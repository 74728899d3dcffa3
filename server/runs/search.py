"""Anything by its name: studies, variants, workloads, instance types and findings, from wherever one is."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import TypeVar

from django.db.models import CharField, F, Q, QuerySet, Value
from django.db.models.functions import Cast, Concat

from catalogue.models import InstanceType
from runs.findings import Occasion, findings
from runs.queries import latest_fit
from studies.models import Study, Variant, Workload

OfStudy = TypeVar("OfStudy", Workload, Variant)
MOST = 8
"""So many of a kind are told; who looks for more types more."""


@dataclass(frozen=True, slots=True)
class Found:
    """Something that was found: its kind, what it is called, where it belongs, and its address inside Rombel."""

    kind: str
    name: str
    words: str
    link: str


def found(text: str, variant: Variant | None, studies: QuerySet[Study]) -> list[Found]:
    """Return what holds every word of a text in its name, of each kind the first few, in some studies alone.

    What belongs to the variant that is looked at comes first.
    """
    words = text.lower().split()
    if not words:
        return []
    kinds: tuple[Iterator[Found], ...] = (
        _workloads(words, variant, studies),
        _variants(words, variant, studies),
        _studies(words, studies),
        _types(words, variant),
        _findings(words, variant),
    )
    return [each for kind in kinds for each in islice(kind, MOST)]


def _holding(words: list[str], field: str) -> Q:
    wanted = Q()
    for word in words:
        wanted &= Q(**{f"{field}__icontains": word})
    return wanted


def _own_first(rows: QuerySet[OfStudy], variant: Variant | None) -> Iterator[OfStudy]:
    """Yield rows of studies, those of the study that is looked at first."""
    own = 0 if variant is None else variant.study_id
    # Two reads that each end soon; one that sorts by whether it is the own study would sort all rows first.
    yield from rows.filter(study=own)[:MOST]
    yield from rows.exclude(study=own)[:MOST]


def _workloads(words: list[str], variant: Variant | None, studies: QuerySet[Study]) -> Iterator[Found]:
    full = Concat(F("namespace"), Value("/"), F("name"), output_field=CharField())
    present = studies.filter(archived_at=None).values("pk")
    rows = Workload.objects.annotate(full=full).filter(_holding(words, "full"), study__in=present)
    # A row is shown in a variant: the one at hand, or the reference of the study that it is of.
    references = dict(Variant.objects.filter(is_reference=True).values_list("study_id", "pk"))
    for row in _own_first(rows.select_related("study").order_by("study_id", "position"), variant):
        own = variant is not None and variant.study_id == row.study_id
        shown = variant.pk if variant is not None and own else references.get(row.study_id)
        yield Found("workload", f"{row.namespace}/{row.name}", row.study.name, f"/bench/{shown}/demand?row={row.pk}")


def _variants(words: list[str], variant: Variant | None, studies: QuerySet[Study]) -> Iterator[Found]:
    present = studies.filter(archived_at=None).values("pk")
    rows = Variant.objects.filter(_holding(words, "name"), study__in=present)
    for row in _own_first(rows.select_related("study").order_by("study_id", "position"), variant):
        yield Found("variant", row.name, row.study.name, f"/bench/{row.pk}/fit")


def _studies(words: list[str], studies: QuerySet[Study]) -> Iterator[Found]:
    tags = Cast(F("tags"), CharField())
    everything = Concat(F("name"), Value(" "), F("organisation"), Value(" "), tags, output_field=CharField())
    rows = studies.annotate(everything=everything).filter(_holding(words, "everything"))
    for row in rows.prefetch_related("variants").order_by(F("archived_at").asc(nulls_first=True), "name")[:MOST]:
        reference = next((entry for entry in row.variants.all() if entry.is_reference), None)
        if reference is not None:
            told = "put away" if row.archived_at else row.organisation
            yield Found("study", row.name, told, f"/bench/{reference.pk}/fit")


def _types(words: list[str], variant: Variant | None) -> Iterator[Found]:
    """Yield types of the price list that the variant uses."""
    if variant is None or variant.region is None:
        return
    edition = variant.region.edition
    rows = InstanceType.objects.filter(_holding(words, "name"), edition=edition).order_by("family", "pk")
    for row in rows[:MOST]:
        told = f"{edition.provider.name}, {edition.dated}"
        yield Found("instance type", row.name, told, f"/bench/{variant.pk}/supply?type={row.name}")


def _findings(words: list[str], variant: Variant | None) -> Iterator[Found]:
    if variant is None:
        return
    for each in findings(Occasion(variant, latest_fit(variant))):
        if all(word in each.text.lower() for word in words):
            yield Found("finding", each.text, variant.name, f"/bench/{variant.pk}/preflight")
