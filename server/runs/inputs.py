"""Fingerprints: of a problem's text, and of everything that a variant's problem is made from."""

from __future__ import annotations

import hashlib
import json
from typing import Any

from house.models import present_rules
from rombel.model.beside import Per
from studies.adapt import FIELDS
from studies.edits import variant_fields
from studies.models import Study, Variant

_ON_NODES = (Per.VCPU, Per.NODE, Per.ZONE)
_BILLED = ("held", "held_until", "trial_ends", "volume")
"""Fees that are part of what a fit minimises; the others are billed on top."""


def digest_of(text: str) -> str:
    """Return the SHA-256 fingerprint of a text."""
    return hashlib.sha256(text.encode()).hexdigest()


def stated_rows(study: Study) -> str:
    """Return the fingerprint of a study's rows as the database has them, but for what they send."""
    return digest_of(json.dumps(_rows(study), default=str))


_STATED = tuple(name for name in FIELDS if name != "traffic")


def _rows(study: Study) -> list[tuple[Any, ...]]:
    """Return the rows as the database has them: reading them into values would take longer than a fingerprint saves."""
    if "workloads" in getattr(study, "_prefetched_objects_cache", {}):
        return [tuple(getattr(row, name) for name in _STATED) for row in study.workloads.all()]
    return list(study.workloads.values_list(*_STATED))


def promises_of(variant: Variant, rows: str = "") -> str:
    """Return the fingerprint of everything that availability over a plan is computed from, beside the plan; ``rows``: as ``stated_rows`` has it."""
    study, rules = variant.study, present_rules()
    stated = (study.journeys, study.dependencies, study.failures, rules.pk, variant.sizes, variant.zones)
    plane = (variant.control_plane_members, variant.tier, variant.region_id)
    return digest_of(json.dumps((rows or stated_rows(study), stated, plane), default=str))


def inputs_of(variant: Variant) -> str:
    """Return the fingerprint of choices, rules and demand; price lists and rates never change, so their keys do.

    It is quick where the problem is not: a list of ten thousand types takes a second to become a problem.
    """
    rows = _rows(variant.study)
    study, rules = variant.study, present_rules()
    choices = variant_fields(variant)
    # What is held, until when, and what volumes, traffic and fees of the whole study cost, is billed and never part of a problem.
    choices["beside"] = {name: own for name, own in choices["beside"].items() if name not in _BILLED}
    # Nor do addresses and what is stated of the build change which nodes are cheapest.
    del choices["addresses"], choices["build"]
    fees = {name: own for name, own in choices["beside"].pop("fees", {}).items() if own["per"] in _ON_NODES}
    choices["beside"] |= {"fees": fees} if fees else {}
    return digest_of(
        json.dumps(
            (
                choices,
                study.currency,
                study.rates_id,
                study.growth_percent,
                study.level_shares,
                rules.pk,
                rows,
            ),
            default=str,
        )
    )
