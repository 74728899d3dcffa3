"""From rows and core values to what the API gives."""

from __future__ import annotations

from decimal import ROUND_HALF_EVEN, Decimal
from typing import Any

from accounts.models import User
from catalogue.models import Offer, Region
from rombel.errors import Fault
from rombel.fit.summary import summarise
from rombel.formats import DemandReading, read_problem, read_solution
from rombel.model.node import ReservationRule, allocatable
from rombel.model.pod import Amounts
from rombel.model.quantity import HOURS_PER_MONTH, show_cpu, show_memory
from runs.models import Fit, Run
from runs.queries import latest_fit, latest_run, present_digest
from studies.adapt import demand_of
from studies.models import Study, Variant, Workload

CENT = Decimal("0.01")


def money(amount: Decimal) -> str:
    """Return an amount to the cent, halves to even, without an exponent."""
    return format(amount.quantize(CENT, ROUND_HALF_EVEN), "f")


def person(user: User) -> dict[str, Any]:
    """Return who a person is."""
    return {"username": user.username, "full_name": user.get_full_name() or user.username, "role": user.role}


def study(row: Study) -> dict[str, Any]:
    """Return a study in short."""
    workloads = list(row.workloads.all())
    return {
        "id": row.pk,
        "name": row.name,
        "organisation": row.organisation,
        "workloads": len(workloads),
        "replicas": sum(entry.replicas for entry in workloads),
        "variants": [{"id": v.pk, "name": v.name, "is_reference": v.is_reference} for v in row.variants.all()],
        "created_at": row.created_at,
    }


def region(row: Region) -> dict[str, Any]:
    """Return a region in short."""
    return {
        "id": row.pk,
        "provider": row.provider.name,
        "name": row.name,
        "note": row.note,
        "currency": row.provider.currency,
        "zones": [zone.name for zone in row.zones.all()],
        "types": Offer.objects.filter(zone__region=row).values("instance_type").distinct().count(),
    }


def types_of(row: Region) -> list[dict[str, Any]]:
    """Return the instance types sold in a region, with their offers."""
    offers = Offer.objects.filter(zone__region=row).select_related("zone", "instance_type")
    result: dict[int, dict[str, Any]] = {}
    for offer in offers.order_by("instance_type__family", "instance_type__vcpu", "zone__position"):
        entry = offer.instance_type
        room = allocatable(Amounts(entry.vcpu * 1000, entry.memory_bytes), ReservationRule())
        known = result.setdefault(
            entry.pk,
            {
                "name": entry.name,
                "family": entry.family,
                "vcpu": entry.vcpu,
                "memory_bytes": entry.memory_bytes,
                "allocatable_cpu_millicores": room.cpu_millicores,
                "allocatable_memory_bytes": room.memory_bytes,
                "architecture": entry.architecture,
                "most_pods": entry.most_pods,
                "offers": [],
            },
        )
        known["offers"].append(
            {
                "zone": offer.zone.name,
                "price_per_hour": format(offer.price_per_hour.normalize(), "f"),
                "price_per_month": money(offer.price_per_hour * HOURS_PER_MONTH),
                "most_nodes": offer.most_nodes,
            }
        )
    return list(result.values())


def workload(row: Workload) -> dict[str, Any]:
    """Return a row of the demand sheet."""
    return {
        "key": str(row.key),
        "namespace": row.namespace,
        "name": row.name,
        "kind": row.kind,
        "replicas": row.replicas,
        "cpu_millicores": row.cpu_millicores,
        "memory_bytes": row.memory_bytes,
        "cpu": show_cpu(row.cpu_millicores),
        "memory": show_memory(row.memory_bytes),
        "zone_skew": row.zone_skew,
        "most_per_node": row.most_per_node,
        "node_labels": ";".join(f"{key}={value}" for key, value in sorted(row.node_labels.items())),
        "owner": row.owner,
        "promised": row.promised,
    }


def fault(entry: Fault) -> dict[str, Any]:
    """Return a fault."""
    return {name: getattr(entry, name) for name in ("code", "path", "reason", "mend", "line", "column")}


def reading(found: DemandReading, target: Study) -> dict[str, Any]:
    """Return what a text holds and what it would do to the sheet."""
    known = {(row.namespace, row.name): demand_of(row) for row in target.workloads.all()}
    rows = []
    for entry in found.rows:
        before = known.get((entry.namespace, entry.name))
        change = "new" if before is None else "same" if before == entry else "changed"
        rows.append(
            {
                "namespace": entry.namespace,
                "name": entry.name,
                "kind": str(entry.kind),
                "replicas": entry.replicas,
                "cpu": show_cpu(entry.request.cpu_millicores),
                "memory": show_memory(entry.request.memory_bytes),
                "change": change,
            }
        )
    ignored = [{"line": e.line, "what": e.what, "why": e.why} for e in found.ignored]
    return {"rows": rows, "faults": [fault(entry) for entry in found.faults], "ignored": ignored}


def run(row: Run) -> dict[str, Any]:
    """Return where a run stands."""
    return {
        "id": row.pk,
        "status": row.status,
        "phase": row.phase,
        "share": row.share,
        "cost_per_month": money(row.cost_per_hour * HOURS_PER_MONTH),
        "floor_per_month": money(row.floor_per_hour * HOURS_PER_MONTH),
        "stop_requested": row.stop_requested,
        "message": row.message,
    }


def fit(row: Fit) -> dict[str, Any]:
    """Return a finished fit in figures."""
    problem, solution = read_problem(row.problem), read_solution(row.solution)
    summary = summarise(problem, solution)
    nodes = [
        {
            **{name: getattr(node, name) for name in ("number", "instance_type", "zone", "usable", "requested")},
            "purchase": str(node.purchase),
            "replicas": dict(node.replicas),
            "landing": {zone: dict(part) for zone, part in node.landing.items()},
            "arriving": {zone: dict(part) for zone, part in node.arriving.items()},
        }
        for node in summary.nodes
    ]
    pools = [
        {
            **{name: getattr(pool, name) for name in ("instance_type", "nodes", "binding", "used", "free")},
            "purchase": str(pool.purchase),
            "cost_per_month": money(pool.cost_per_month),
        }
        for pool in summary.pools
    ]
    limits = problem.limits
    return {
        "id": row.pk,
        "status": row.status,
        "currency": solution.currency,
        "cost_per_month": money(summary.cost_per_month),
        "floor_per_month": money(summary.floor_per_month),
        "cost_per_hour": format(solution.cost_per_hour, "f"),
        "floor_per_hour": format(solution.floor_per_hour, "f"),
        "gap": summary.gap,
        "survive_zone": str(problem.survive_zone),
        "zones": list(problem.zones),
        "nodes": nodes,
        "pools": sorted(pools, key=lambda pool: -Decimal(str(pool["cost_per_month"]))),
        "zone_cost_per_month": {zone: money(cost) for zone, cost in summary.zone_cost_per_month.items()},
        "workload_cost_per_month": {name: money(cost) for name, cost in summary.workload_cost_per_month.items()},
        "room_left": dict(summary.room_left),
        "reasons": list(solution.reasons),
        "limits": {"most_pools": limits.most_pools, "fewest_nodes_per_pool": limits.fewest_nodes_per_pool},
        "seconds": row.seconds,
        "seed": row.seed,
        "core_version": row.core_version,
        "created_at": row.created_at,
    }


def variant(row: Variant) -> dict[str, Any]:
    """Return a variant's choices."""
    names = ["name", "is_reference", "region_id", "zones", "survive_zone", "most_pools"]
    names += ["fewest_nodes_per_pool", "most_pods_per_node"]
    return {"id": row.pk, **{name: getattr(row, name) for name in names}}


def bench(row: Variant) -> dict[str, Any]:
    """Return everything the bench shows of one variant."""
    digest, faults = present_digest(row)
    last_fit, last_run = latest_fit(row), latest_run(row)
    undo = row.study.edits.filter(undone=False).last()
    redo = row.study.edits.filter(undone=True).first()
    return {
        "study": study(row.study),
        "variant": variant(row),
        "region": region(row.region) if row.region else None,
        "workloads": [workload(entry) for entry in row.study.workloads.all()],
        "edits": {"undo": undo.summary if undo else None, "redo": redo.summary if redo else None},
        "faults": faults,
        "fit": fit(last_fit) if last_fit else None,
        "fit_is_current": last_fit is not None and last_fit.digest == digest,
        "run": run(last_run) if last_run else None,
    }
