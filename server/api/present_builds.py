"""Change lists, builds and what runs against the plan, as they are sent."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from dataclasses import asdict
from decimal import Decimal
from typing import Any

from api.money import money
from api.problems import fault_list
from builds.drift import Told
from builds.listed import ToDo, added_per_hour, change_value
from builds.models import ClusterBuild
from jobs.models import ACTIVE
from rombel.building import risky
from rombel.model.quantity import HOURS_PER_MONTH

_AHEAD = ("waiting", "running", "stuck", "done")
"""States of parts that were not taken back."""


def shown_changes(found: ToDo) -> dict[str, Any]:
    """Return what is to be done."""
    values = [change_value(change) for change in found.changes]
    return {
        "fit_id": found.fit.pk,
        "cluster": found.build["cluster"],
        "known_from": found.standing.known_from,
        "trouble": found.standing.trouble,
        "digest": found.digest,
        "signed": found.signed,
        "hurdles": fault_list(found.hurdles),
        "expected": {name: getattr(found.expected, name) for name in ("median_s", "early_s", "late_s")},
        "added_per_month": money(added_per_hour(found.changes) * HOURS_PER_MONTH),
        "currency": found.variant.study.currency,
        "versions": [
            {"version": str(step.version), "why_not": step.why_not, "ends": step.ends} for step in found.versions
        ],
        "drill": None if found.drill is None else asdict(found.drill),
        "goes_on": [{"what": own.what, "per_month": money(own.per_month), "why": own.why} for own in found.goes_on],
        "lines": [_line(own) for own in _together(values)],
        "risky": [_line([change_value(change)]) | {"count": count} for change, count in risky(found.changes)],
    }


def _together(values: Iterable[Mapping[str, Any]]) -> list[list[Mapping[str, Any]]]:
    """Return entries that are done alike together, at the place of the first: nodes of a pool, all ranges, gateways and volumes."""
    found: dict[tuple[str, str], list[Mapping[str, Any]]] = {}
    for value in values:
        # A node's key is its pool's with its number.
        key = value["key"]
        if value["kind"] == "node":
            key = key.rpartition("/")[0]
        elif value["kind"] in ("range", "gateway", "volume") and value["do"] != "change":
            # Of those that change each has its own reason.
            key = value["kind"] if value["do"] != "keep" else f"{value['kind']} {value['reason']}"
        found.setdefault((key, value["do"]), []).append(value)
    return list(found.values())


def _line(own: list[Mapping[str, Any]]) -> dict[str, Any]:
    first = own[0]
    cost = sum((Decimal(value["cost_per_hour"]) for value in own), start=Decimal(0))
    same = ("kind", "do", "reason", "risk", "median_s")
    return {
        **{name: first[name] for name in same},
        "zone": _zone(own),
        **_named(own),
        "count": len(own),
        "cost_per_month": money(cost * HOURS_PER_MONTH),
    }


def _zone(own: list[Mapping[str, Any]]) -> str:
    """Return where parts stand; empty: in several zones, or in the whole region."""
    zones = {value["zone"] for value in own}
    return zones.pop() if len(zones) == 1 else ""


def _named(own: list[Mapping[str, Any]]) -> dict[str, str]:
    """Return key and name of parts that are shown together; of nodes those of their pool."""
    first = own[0]
    if len(own) > 1 and first["kind"] != "node":
        return {"key": first["kind"], "name": first["kind"]}
    if first["kind"] != "node":
        return {"key": first["key"], "name": first["name"]}
    return {"key": first["key"].rpartition("/")[0], "name": first["name"].rpartition(" ")[0]}


def shown_build_line(row: ClusterBuild) -> dict[str, Any]:
    """Return a build in short."""
    own = ("cluster", "provider", "variant_id", "variant_name", "fit_id", "goal", "why", "state", "wish", "seen")
    return {
        "id": row.pk,
        **{name: getattr(row, name) for name in own},
        **{name: getattr(row, name) for name in ("status", "phase", "share", "message", "started_at")},
        "started_by": row.started_by.shown_name,
        "ended_at": row.job.finished_at,
        "expected": row.expected if row.status in ACTIVE and row.expected else None,
    }


def shown_build(row: ClusterBuild) -> dict[str, Any]:
    """Return a build whole."""
    outputs = row.outputs
    return {
        **shown_build_line(row),
        "parts": [_part(own, row.items) for own in _together(row.changes)],
        "api_address": outputs.get("api", ""),
        "version": outputs.get("version", ""),
        "gateways": [{"zone": zone, "address": own} for zone, own in sorted(outputs.get("gateways", {}).items())],
        "steps": row.steps,
        "node_names": sorted(outputs.get("nodes", {}).values()),
    }


def _part(own: list[Mapping[str, Any]], items: Mapping[str, Mapping[str, Any]]) -> dict[str, Any]:
    seen = [items.get(value["key"], {}) for value in own]
    states = [item.get("state", "waiting") for item in seen]
    # All states of going back count together: what matters then is how much is left.
    counted = Counter(state if state in _AHEAD else "back" for state in states)
    messages = Counter(item["message"] for item in seen if item.get("message"))
    return {
        **{name: own[0][name] for name in ("kind", "do", "risk", "median_s")},
        "zone": _zone(own),
        **_named(own),
        "count": len(own),
        **{name: counted[name] for name in (*_AHEAD, "back")},
        "messages": [text if count == 1 else f"{count} ×: {text}" for text, count in messages.most_common(3)],
    }


def shown_drift(told: Told | None) -> dict[str, Any] | None:
    """Return what runs against the plan."""
    if told is None:
        return None
    drifts = []
    for drift in told.compared.drifts:
        said = told.said_of(drift)
        own = ("kind", "where", "planned", "actual", "count")
        drifts.append(
            {
                **{name: getattr(drift, name) for name in own},
                "can_take": bool(told.cells_of(drift)[0]),
                "plan_right_by": "" if said is None else said.by.shown_name,
            }
        )
    return {
        "fit_id": told.fit.pk,
        "variant_name": told.variant.name,
        "signed_on": told.signed_on,
        "origin": told.listing.origin,
        "read_at": told.listing.read_at,
        "nodes": told.listing.nodes,
        "is_of_plan": told.compared.is_of_plan,
        "drifts": drifts,
        "pools": [
            {
                "instance_type": pool.instance_type,
                "zone": pool.zone,
                "planned": pool.planned.nodes,
                "least": pool.planned.least,
                "most": pool.planned.most,
                "nodes": pool.nodes,
                "not_ready": pool.not_ready,
                "versions": pool.versions,
                "cpu_share": pool.cpu_share,
                "memory_share": pool.memory_share,
            }
            for pool in told.compared.pools
        ],
    }
