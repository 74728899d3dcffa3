"""Between a study here and the shape of a starter."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from handover.study_file import WITHOUT_PLACE
from rombel.starters import FORMAT, plain_formulas
from studies.edits import variant_fields
from studies.models import Variant

STATED = (
    "currency",
    "growth_percent",
    "level_shares",
    "events",
    "journeys",
    "dependencies",
    "failures",
    "drills",
    "rehearsal",
)
"""What a study states that another one like it states too; its name, organisation and tags are its own."""
OWN = (
    "region_id",
    "beyond",
    "sizes",
    "beside",
    "addresses",
    "build",
    "families",
    "family_rules",
    "tier",
    "zones",
    "budget_per_month",
)
"""Choices that belong to one cluster, region or purse: another study makes its own."""


def taken_of(variant: Variant) -> dict[str, Any]:
    """Return what a shape takes of a variant and its study, as plain values: rows, what is stated, choices, and the region's name."""
    rows = [{name: getattr(row, name) for name in WITHOUT_PLACE} for row in variant.study.workloads.all()]
    choices = {name: value for name, value in variant_fields(variant).items() if name not in OWN}
    return {
        "rows": [{**row, "provenance": {}} for row in rows],
        "study": {name: getattr(variant.study, name) for name in STATED},
        "choices": choices,
        "region": "" if variant.region is None else variant.region.name,
    }


def first_shape(variant: Variant) -> dict[str, Any]:
    """Return the shape that a variant makes before anything of it was made a blank: three sizes, and replicas that follow them."""
    taken = taken_of(variant)
    sizes = [{"name": name, "factor": factor} for name, factor in (("S", "0.5"), ("M", "1"), ("L", "2"))]
    return {"format": FORMAT, "inputs": [], "sizes": sizes, "formulas": plain_formulas(taken["rows"]), **taken}


def with_blanks(shape: Mapping[str, Any], blanks: Mapping[str, Any]) -> dict[str, Any]:
    """Return a shape with other inputs, sizes and formulas."""
    return {**shape, **{name: blanks[name] for name in ("inputs", "sizes", "formulas")}}
