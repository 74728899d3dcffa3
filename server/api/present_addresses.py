"""Address plans as they are sent."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from rombel.addressing import (
    Addresses,
    AddressPlan,
    Ceiling,
    Network,
    PlannedRange,
    pod_block,
    standard_of,
    static_band,
)
from runs.addresses import AddressesTold


def shown_addresses(told: AddressesTold) -> dict[str, Any]:
    """Return the address plan of a variant as it is sent."""
    stated, today = told.stated, told.today
    return {
        "fit_id": told.fit.pk,
        "limits_from": told.limits_from,
        "zones": [
            {
                **{name: getattr(zone, name) for name in ("zone", "planned", "most", "surge", "after_loss")},
                "grown_most": max(zone.most, zone.grown_most),
                "nodes": zone.need.nodes,
                "grown": zone.need.grown,
            }
            for zone in told.zones
        ],
        "most_pods": told.most_pods,
        "block": pod_block(told.most_pods, twice=stated is None or stated.twice),
        "plans": [] if stated is None else [_plan(plan, stated) for plan in told.plans],
        "today": None
        if today is None
        else {
            "faults": today.faults,
            "ceilings": _ceilings(today.ceilings),
            "changes": [
                {
                    **{name: getattr(change, name) for name in ("name", "role", "zone")},
                    "was": None if change.was is None else str(change.was),
                    "range": str(change.range),
                    "because": change.because,
                }
                for change in today.changes
            ],
            "missing": [want.name for want in today.missing],
        },
    }


def _plan(plan: AddressPlan, stated: Addresses) -> dict[str, Any]:
    services = next((entry for entry in plan.ranges if not entry.want.each and not entry.want.zone), None)
    used = [each for each in stated.used if each.range.version == plan.parent.version]
    return {
        "version": plan.parent.version,
        "parent": str(plan.parent),
        "standard": standard_of(plan.parent),
        "addresses": str(plan.parent.num_addresses),
        "ranges": [_range(entry, plan.parent) for entry in plan.ranges],
        "free": [_place(each, "", plan.parent) for each in plan.free],
        "used": [_place(u.range, u.name, plan.parent) for u in used if u.range.overlaps(plan.parent)],
        "missing": [want.name for want in plan.missing],
        "ceilings": _ceilings(plan.ceilings),
        "ceilings_grown": _ceilings(plan.ceilings_grown),
        "static": static_band(services.range.num_addresses) if services is not None and plan.parent.version == 4 else 0,
        "faults": plan.faults,
    }


def _range(entry: PlannedRange, parent: Network) -> dict[str, Any]:
    want, place = entry.want, _place(entry.range, entry.name, parent)
    return {
        **place,
        "role": want.role,
        "zone": want.zone,
        "first": str(entry.range.network_address),
        "last": str(entry.range.broadcast_address),
        "needs": str(want.now),
        "kept": str(entry.kept),
        "kept_addresses": str(entry.kept.num_addresses),
        "needs_grown": str(want.grown),
        "nodes": None if entry.nodes is None else str(entry.nodes),
        "nodes_grown": None if entry.nodes_grown is None else str(entry.nodes_grown),
        "kept_width": entry.kept.num_addresses / parent.num_addresses,
    }


def _place(network: Network, name: str, parent: Network) -> dict[str, Any]:
    offset = int(network.network_address) - int(parent.network_address)
    return {
        "range": str(network),
        "name": name,
        "addresses": str(network.num_addresses),
        "offset": max(0.0, offset / parent.num_addresses),
        "width": min(1.0, network.num_addresses / parent.num_addresses),
    }


def _ceilings(found: Iterable[Ceiling]) -> list[dict[str, Any]]:
    return [{"zone": c.zone, "nodes": str(c.nodes), "decided_by": c.decided_by} for c in found]
