"""Findings of pre-flight as they are sent: who may accept them, who did, and the edit that mends them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any

from accounts.models import Role
from house.models import RuleSet
from rombel.preflight import Grade, Mend
from runs.findings import Occasion, findings
from studies.models import AcceptedFinding


def shown_findings(at: Occasion) -> Iterator[dict[str, Any]]:
    """Yield every finding of a variant, the gravest first."""
    said = {
        (row.code, row.text): {"why": row.why, "who": _who(row), "at": row.accepted_at}
        for row in at.variant.accepted_findings.select_related("accepted_by")
    }
    known = findings(at)
    mended = any(found.mend for found in known)
    rows = at.variant.study.workloads.values_list("namespace", "name", "key") if mended else []
    keys = {f"{namespace}/{name}": str(key) for namespace, name, key in rows}
    for found in known:
        accepted = None if found.grade is Grade.STOP else said.get((found.code, found.text[:1000]))
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


def _who(row: AcceptedFinding) -> str:
    """Return who accepted a finding; of what came with a file, who said so elsewhere too."""
    own = row.accepted_by.shown_name
    return f"{own}, as {row.said_by} did elsewhere" if row.said_by else own


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
