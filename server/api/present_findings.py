"""Findings of pre-flight as they are sent: who may accept them, who did, and the edit that mends them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from accounts.models import Role
from house.models import RuleSet
from rombel.preflight import Grade, Mend
from runs.findings import Judged, Occasion


def shown_findings(at: Occasion, known: Sequence[Judged]) -> Iterator[dict[str, Any]]:
    """Yield findings of a variant in their order."""
    mended = any(each.finding.mend for each in known)
    rows = at.variant.study.workloads.values_list("namespace", "name", "key") if mended else []
    keys = {f"{namespace}/{name}": str(key) for namespace, name, key in rows}
    for each in known:
        found, row = each.finding, each.accepted
        accepted = None if row is None else {"why": row.why, "who": each.by, "at": row.accepted_at}
        yield {
            "code": found.code,
            "level": found.grade,
            "when": found.when,
            "place": found.place,
            "text": found.text,
            "fix": found.fix,
            "accepted": accepted,
            "accepted_by": _accepted_by(found.grade, at.stated_rules),
            "mend": None if found.mend is None else _mend(found.mend, keys),
        }


def _accepted_by(grade: Grade, rules: RuleSet) -> str:
    if grade is Grade.STOP:
        return "nobody"
    return rules.care_accepted_by if grade is Grade.CARE else Role.PLANNER


def _mend(mend: Mend, keys: Mapping[str, str]) -> dict[str, Any]:
    return {
        "words": mend.words,
        "cells": {keys[name]: dict(cells) for name, cells in mend.cells.items() if name in keys},
        "control_plane_members": mend.control_plane_members,
    }
