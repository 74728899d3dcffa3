"""Starters as they are sent."""

from __future__ import annotations

from typing import Any

from accounts.models import Role, User
from api.money import money
from catalogue.queries import newest_regions
from rombel.model.quantity import show_cpu, show_memory
from rombel.starters import AMOUNTS, follows_load, full_name
from starters.models import Starter, StarterUse, StarterVersion
from starters.queries import newest, starters_of_house, uses_of, would_change
from starters.trying import Trial

MOST_USES = 50
"""So many studies of a starter are listed, the newest first."""


def shown_starters(person: User) -> list[dict[str, Any]]:
    """Return the starters of the house in a list: those put away for leads alone, who may bring them back."""
    rows = [row for row in starters_of_house() if row.put_away_at is None or person.role == Role.LEAD]
    return [_head(row, person) for row in rows]


def _head(row: Starter, person: User) -> dict[str, Any]:
    last, uses = newest(row), uses_of(row, person)
    return {
        "id": row.pk,
        "name": row.name,
        "note": row.note,
        "put_away": row.put_away_at is not None,
        "version": last.number,
        "saved_at": last.made_at,
        "saved_by": last.made_by.shown_name,
        "workloads": len(last.shape["rows"]),
        "uses": [
            {
                "study_id": use.study_id,
                "study_name": use.study.name,
                "version": use.version.number,
                "by": use.used_by.shown_name,
                "at": use.used_at,
            }
            for use in uses[:MOST_USES]
        ],
    }


def shown_starter(row: Starter, person: User) -> dict[str, Any]:
    """Return a starter with what its newest version asks for."""
    last = newest(row)
    shape = last.shape
    return {
        **_head(row, person),
        "inputs": shape["inputs"],
        "sizes": shape["sizes"],
        "rows": [_row(each, shape["formulas"]) for each in shape["rows"]],
        "survive_zone": shape["choices"].get("survive_zone", "none"),
        "journeys": [{"name": each["name"], "target": each["target"]} for each in shape["study"]["journeys"]],
        "region_id": next((region.pk for region in newest_regions() if region.name == shape["region"]), None),
        "region": shape["region"],
        "versions": [_version(each) for each in row.versions.all()],
    }


def _row(row: dict[str, Any], formulas: dict[str, dict[str, str]]) -> dict[str, Any]:
    name, loaded = full_name(row), follows_load(row)
    plain = {
        "replicas": "" if loaded else str(row["replicas"]),
        "cpu": show_cpu(row["cpu_millicores"]),
        "memory": show_memory(row["memory_bytes"]),
        "load": f"{row['sizing']['peak']:g}" if loaded else "",
    }
    own = formulas.get(name, {})
    return {"name": name, "plain": plain, "formulas": {amount: own.get(amount, "") for amount in AMOUNTS}}


def _version(row: StarterVersion) -> dict[str, Any]:
    return {"number": row.number, "why": row.why, "by": row.made_by.shown_name, "at": row.made_at}


def shown_trial(found: Trial) -> dict[str, Any]:
    """Return what answers would make."""
    amounts = {
        name: None if getattr(found, name) is None else money(getattr(found, name))
        for name in ("cost_per_month", "floor_per_month")
    }
    journeys = [
        {"name": name, "minutes": minutes, "allowed": allowed} for name, (minutes, allowed) in found.journeys.items()
    ]
    plain = {name: getattr(found, name) for name in ("currency", "nodes", "replicas")}
    return {**plain, **amounts, "journeys": journeys, "reasons": list(found.reasons)}


def shown_use(use: StarterUse) -> dict[str, Any]:
    """Return from which starter a study was made, and what a newer version would change."""
    newer = would_change(use)
    return {
        "starter_id": use.version.starter_id,
        "starter": use.version.starter.name,
        "version": use.version.number,
        "newest": use.version.number if newer is None else newer[0].number,
        "why": "" if newer is None else newer[0].why,
        "changes": [] if newer is None else newer[1],
    }
