"""What rules look at, written into a study's file and read from it."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, replace
from functools import cache
from typing import Any

from pydantic import TypeAdapter, ValidationError

from rombel.errors import InputRefused, refuse
from rombel.formats import faults_at, read_problem, read_solution, within
from rombel.model.fit_problem import Purchase
from rombel.preflight.situation import Situation


@cache
def _adapter() -> TypeAdapter[Situation]:
    """Return what reads and writes a situation; made when it is first needed, since that takes a while."""
    return TypeAdapter(Situation)


_APART = {"problem", "solution", "most"}
"""Problem and plan stand in the file as their own formats; the most nodes by offer have keys that JSON has not."""


@dataclass(frozen=True, slots=True)
class ExportedVariant:
    """A variant of a study's file, as far as rules look at it; ``planned``: whether it has a plan."""

    name: str
    is_reference: bool
    situation: Situation
    planned: bool


def situation_value(at: Situation) -> dict[str, Any]:
    """Return as plain JSON values what rules look at beside problem and solution."""
    value: dict[str, Any] = _adapter().dump_python(at, mode="json", exclude=_APART)
    # Sets come in no order of their own.
    value["running_on"] = {name: sorted(names) for name, names in value["running_on"].items()}
    value["build"]["taken"] = sorted(value["build"]["taken"])
    for entry in value["build"]["needed"]:
        entry["zones"] = sorted(entry["zones"])
    most = [
        {"instance_type": name, "purchase": str(purchase), "zone": zone, "nodes": nodes}
        for (name, purchase, zone), nodes in sorted(at.most.items())
    ]
    return {**value, "most": most}


def exported_variants(value: Mapping[str, Any]) -> list[ExportedVariant]:
    """Return the variants of a study's file with what rules look at; those that state none are left out.

    Raises
    ------
    InputRefused
        When a part has faults.

    """
    found = []
    for place, variant in enumerate(value["variants"]):
        if "situation" in variant:
            path = f"variants[{place}]"
            found.append(
                ExportedVariant(
                    variant["name"],
                    variant.get("is_reference", False),
                    _situation(variant, path),
                    bool(variant.get("fit")),
                )
            )
    return found


def _situation(variant: Mapping[str, Any], path: str) -> Situation:
    stated = dict(variant["situation"])
    most = stated.pop("most", [])
    try:
        at = _adapter().validate_python(stated)
        counts = {(e["instance_type"], Purchase(e["purchase"]), e["zone"]): int(e["nodes"]) for e in most}
    except ValidationError as error:
        raise InputRefused(faults_at(error.errors(), f"{path}.situation", "study.situation")) from error
    except (KeyError, TypeError, ValueError):
        raise refuse("study.situation", f"{path}.situation.most", "Limits are not read.", "Export again.") from None
    fit = variant.get("fit")
    at = replace(at, most=counts)
    if not fit:
        return at
    problem = within(f"{path}.fit.problem", read_problem, json.dumps(fit["problem"]))
    return replace(
        at, problem=problem, solution=within(f"{path}.fit.solution", read_solution, json.dumps(fit["solution"]))
    )
