"""A study as one file: with the price lists, plans and measurements that it stands on, so that it can be opened anywhere."""

from __future__ import annotations

import base64
import json
from collections.abc import Iterable, Mapping
from dataclasses import replace
from datetime import UTC, datetime
from typing import Any

from django.utils.text import slugify

from accounts.models import User
from catalogue.adapt import price_list_of
from catalogue.models import Edition, Region
from measured.models import UsageSet
from rombel import __version__
from rombel.formats import STUDY_FORMAT, price_list_value
from rombel.model.price_list import PriceList
from rombel.preflight import situation_value
from runs.findings import Occasion, situation_of
from runs.models import Fit
from runs.queries import latest_fit, latest_plan, present_digest
from studies.adapt import FIELDS
from studies.edits import variant_fields
from studies.models import Study, Variant

STUDY_PARTS = (
    "name", "organisation", "currency", "growth_percent", "level_shares", "events", "journeys", "dependencies", "failures", "drills", "tags",
    "rehearsal",
)  # fmt: skip
USAGE_PARTS = ("origin", "format", "replicas", "start_s", "step_s", "steps", "samples", "left_out")
SERIES_PARTS = ("workload", "resource", "replicas", "resets", "from_totals")
WITHOUT_PLACE = tuple(name for name in FIELDS if name != "position")
"""Rows stand in the file in their order, which is all that their positions say."""


def study_file(study: Study, by: User) -> tuple[str, str, str]:
    """Return a study's file as text, its media type and its name."""
    value = {
        "format": STUDY_FORMAT,
        "core_version": __version__,
        "exported_at": datetime.now(UTC).isoformat(timespec="seconds"),
        "exported_by": by.shown_name,
        **study_value(study),
    }
    return json.dumps(value, ensure_ascii=False, indent=1), "application/json", f"{slugify(study.name)}-study.json"


def study_value(study: Study) -> dict[str, Any]:
    """Return a study as plain values; what was undone, questions and the trail stay behind."""
    variants = list(study.variants.select_related("region__edition__provider", "study__rates", "study__running"))
    rates, used = study.rates, _used(variants)
    places = {key: place for place, key in enumerate(used)}
    return {
        "study": {name: getattr(study, name) for name in STUDY_PARTS},
        "rates": None
        if rates is None
        else {"dated": rates.dated.isoformat(), "base": rates.base, "worth": rates.worth, "source": rates.source},
        "price_lists": [
            price_list_value(only_regions(price_list_of(edition), names)) for edition, names in used.values()
        ],
        "workloads": [{name: getattr(row, name) for name in WITHOUT_PLACE} for row in study.workloads.all()],
        "listing": None
        if study.running is None
        else {"origin": study.running.origin, "content": study.running.content},
        "usage": None if study.usage is None else _usage(study.usage),
        "variants": [_variant(variant, places, {entry.pk: entry.name for entry in variants}) for variant in variants],
    }


def other_regions(variant: Variant) -> list[Region]:
    """Return the regions that the whole demand is compared in, in the order stated."""
    keys = variant.beyond.get("region_ids", [])
    found = Region.objects.select_related("edition__provider").in_bulk(keys)
    return [found[key] for key in keys if key in found]


def only_regions(listed: PriceList, names: Iterable[str]) -> PriceList:
    """Return a price list with some of its regions, and of its types those that are sold there."""
    kept = set(names)
    offers = tuple(offer for offer in listed.offers if offer.region in kept)
    sold = {offer.instance_type for offer in offers}
    types = tuple(entry for entry in listed.types if entry.name in sold)
    families = {entry.family for entry in types}
    return replace(
        listed,
        regions=tuple(region for region in listed.regions if region.name in kept),
        types=types,
        offers=offers,
        # A quota or a commitment of families that are not sold there says nothing of these regions.
        quotas=tuple(q for q in listed.quotas if q.region in kept and q.family in {"", *families}),
        terms=tuple(term for term in listed.terms if not term.families or families & set(term.families)),
    )


def _used(variants: Iterable[Variant]) -> dict[int, tuple[Edition, set[str]]]:
    """Return the editions that variants use, each with the names of its regions that are used."""
    used: dict[int, tuple[Edition, set[str]]] = {}
    for variant in variants:
        for region in [*([variant.region] if variant.region else []), *other_regions(variant)]:
            used.setdefault(region.edition_id, (region.edition, set()))[1].add(region.name)
    return used


def _variant(variant: Variant, places: Mapping[int, int], names: Mapping[int, str]) -> dict[str, Any]:
    def named(region: Region) -> dict[str, Any]:
        return {"price_list": places[region.edition_id], "name": region.name}

    choices = variant_fields(variant)
    del choices["region_id"]
    choices["beyond"] = {name: own for name, own in choices["beyond"].items() if name != "region_ids"}
    plan = latest_plan(variant)
    return {
        "name": variant.name,
        "is_reference": variant.is_reference,
        "note": variant.note,
        "came_from": names.get(variant.came_from_id or 0),
        "region": None if variant.region is None else named(variant.region),
        "choices": choices,
        "other_regions": [named(region) for region in other_regions(variant)],
        "limits": variant.limits,
        "deviations": [
            {
                "rule": row.rule,
                "chosen": row.chosen,
                "why": row.why,
                **_said(row.said_by or row.stated_by.username, row.stated_at),
            }
            for row in variant.deviations.select_related("stated_by")
        ],
        "accepted": [
            {
                "code": row.code,
                "text": row.text,
                "why": row.why,
                **_said(row.said_by or row.accepted_by.username, row.accepted_at),
            }
            for row in variant.accepted_findings.select_related("accepted_by")
        ],
        "fit": None if plan is None else _fit(plan, variant),
        "situation": situation_value(situation_of(Occasion(variant, latest_fit(variant)))),
    }


def _said(by: str, at: datetime) -> dict[str, str]:
    return {"by": by, "at": at.isoformat(timespec="seconds")}


def _fit(plan: Fit, variant: Variant) -> dict[str, Any]:
    return {
        "problem": json.loads(plan.problem),
        "solution": json.loads(plan.solution),
        "is_current": plan.digest == present_digest(variant)[0],
        "computed_at": plan.created_at.isoformat(timespec="seconds"),
        "core_version": plan.core_version,
        "seed": plan.seed,
        "seconds": plan.seconds,
        "proved_per_hour": None if plan.proved_per_hour is None else str(plan.proved_per_hour),
    }


def _usage(usage: UsageSet) -> dict[str, Any]:
    return {
        **{name: getattr(usage, name) for name in USAGE_PARTS},
        "series": [
            {
                **{name: getattr(row, name) for name in SERIES_PARTS},
                # Deflated as it is stored: a year of minutes would be too long a text.
                **{name: base64.b64encode(bytes(getattr(row, name))).decode() for name in ("total", "busiest")},
            }
            for row in usage.series.all()
        ],
    }
