"""The optional rules of a fit problem as JSON values: quotas over several offers, loss of nodes, where replicas may stand.

They are written only where they are used, so that a problem without them reads as it always did.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any

from rombel.errors import Fault
from rombel.model.fit_problem import NodeLoss, Purchase, Quota, Survival, Workload


def quota_of(raw: Mapping[str, Any]) -> Quota:
    """Return a quota over several offers."""
    purchase = raw.get("purchase")
    return Quota(
        name=raw["name"],
        most=raw["most"],
        resource=raw.get("resource"),
        instance_types=names_of(raw.get("instance_types")),
        zones=names_of(raw.get("zones")),
        purchase=None if purchase is None else Purchase(purchase),
        takes=dict(raw.get("takes", {})),
        counted=raw.get("counted", ""),
    )


def quota_value(quota: Quota) -> dict[str, Any]:
    """Return a quota as JSON values."""
    value: dict[str, Any] = {"name": quota.name, "most": quota.most}
    if quota.resource is not None:
        value["resource"] = quota.resource
    if quota.instance_types is not None:
        value["instance_types"] = sorted(quota.instance_types)
    if quota.zones is not None:
        value["zones"] = sorted(quota.zones)
    if quota.purchase is not None:
        value["purchase"] = str(quota.purchase)
    if quota.counted:
        value |= {"takes": dict(sorted(quota.takes.items())), "counted": quota.counted}
    return value


def node_loss_of(raw: Mapping[str, Any]) -> NodeLoss | None:
    """Return how the loss of nodes is survived, from ``survive``; None where nothing is said."""
    nodes = raw.get("nodes")
    return None if nodes is None else NodeLoss(nodes["count"], Survival(nodes["how"]))


def survive_value(zone: Survival | None, nodes: NodeLoss | None) -> dict[str, Any]:
    """Return ``survive`` as JSON values."""
    # A workload that says nothing follows the problem, which is not the same as promising nothing.
    value: dict[str, Any] = {} if zone is None else {"zone": str(zone)}
    if nodes is not None:
        value["nodes"] = {"count": nodes.count, "how": str(nodes.how)}
    return value


def placement_rules(raw: Mapping[str, Any]) -> dict[str, Any]:
    """Return the fields of a workload that say where its replicas may stand."""
    return {
        "survive_nodes": node_loss_of(raw.get("survive", {})),
        "stands": dict(raw.get("stands", {})),
        "bound_to_zone": raw.get("bound_to_zone", False),
        "node_skew": raw.get("node_skew"),
        "apart": frozenset(raw.get("apart", ())),
        "zone_skew_wish": raw.get("zone_skew_wish"),
        "must_stand": raw.get("must_stand"),
    }


def placement_value(entry: Workload) -> dict[str, Any]:
    """Return these fields as JSON values, those in use."""
    value: dict[str, Any] = {
        "stands": dict(sorted(entry.stands.items())),
        "bound_to_zone": entry.bound_to_zone,
        "node_skew": entry.node_skew,
        "apart": sorted(entry.apart),
        "zone_skew_wish": entry.zone_skew_wish,
        "must_stand": entry.must_stand,
    }
    # Nothing, no and nought mean the same for each of these rules: it is not asked for.
    return {key: part for key, part in value.items() if part}


def rule_faults(raw: Mapping[str, Any]) -> Iterator[Fault]:
    """Yield names that the optional rules use and nobody declares, and replicas bound to zones beyond their number."""
    zones, types = set(raw["zones"]), {entry["name"] for entry in raw["instance_types"]}
    for number, quota in enumerate(raw.get("limits", {}).get("quotas", ())):
        path = f"limits.quotas[{number}]"
        yield from unknown(quota.get("zones") or (), zones, f"{path}.zones", "zone")
        yield from unknown(quota.get("instance_types") or (), types, f"{path}.instance_types", "instance type")
        yield from unknown(quota.get("takes", {}), types, f"{path}.takes", "instance type")
        named = () if quota.get("resource") is None else (quota["resource"],)
        yield from unknown(named, set(raw["resources"]), f"{path}.resource", "resource")
    for index, entry in enumerate(raw["instance_types"]):
        for number, offer in enumerate(entry["offers"]):
            most = offer.get("most_nodes")
            if most is not None and offer.get("fewest_nodes", 0) > most:
                path = f"instance_types[{index}].offers[{number}].fewest_nodes"
                yield Fault(
                    "offer.fewest", path, "More nodes run in any case than the quota allows.", "Correct either."
                )
    yield from unknown(raw.get("limits", {}).get("headroom", {}), set(raw["resources"]), "limits.headroom", "resource")
    names = {entry["name"] for entry in raw["workloads"]}
    for number, entry in enumerate(raw["workloads"]):
        path = f"workloads[{number}]"
        yield from unknown(entry.get("stands", {}), zones, f"{path}.stands", "zone")
        # Apart from itself would be a most of one on a node, and is stated so.
        yield from unknown(entry.get("apart", ()), names - {entry["name"]}, f"{path}.apart", "other workload")
        if entry.get("must_stand", 0) > entry["replicas"]:
            reason = "More must stand than there are replicas."
            yield Fault("demand.must_stand", f"{path}.must_stand", reason, "Lower it, or raise the replicas.")
        stands = entry.get("stands", {}).values()
        how = entry.get("survive", {}).get("zone") or raw.get("survive", {}).get("zone")
        # Standing may run more than are asked for: the zone with most of them may be the one that is lost.
        if sum(stands) - (max(stands, default=0) if how == Survival.STANDING else 0) > entry["replicas"]:
            reason = "More replicas are bound to zones than there are replicas."
            yield Fault(
                "demand.stands", f"{path}.stands", reason, "Raise the replicas or take out what no longer stands."
            )


def names_of(raw: Sequence[str] | None) -> frozenset[str] | None:
    """Return a list of names as a set; None where all are meant."""
    return None if raw is None else frozenset(raw)


def unknown(names: Sequence[str] | Mapping[str, Any], known: set[str], path: str, kind: str) -> Iterator[Fault]:
    """Yield the names that nobody declares."""
    for name in names:
        if name not in known:
            yield Fault("name.unknown", path, f"There is no {kind} '{name}'.", f"Declare the {kind} or correct it.")
