"""What the API gives of demand: imports, levels, what runs now, and intake."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import suppress
from decimal import Decimal
from typing import Any

from accounts.models import User
from api.money import money
from intake.forms import form_of
from intake.models import Intake
from measured.adapt import running_of
from rombel.errors import InputRefused
from rombel.formats import cells_as_typed
from rombel.model.demand import Demand, Level, WorkloadKind
from rombel.model.fit_problem import Purchase, Survival
from rombel.model.levels import LevelCount, hour_shares, levels_of
from rombel.model.pod import Amounts
from rombel.model.quantity import HOURS_PER_MONTH, show_cpu, show_memory
from rombel.model.row_facts import Fact, basis_words, eligibility, facts_of
from rombel.model.study import Supply, matches
from runs.queries import WITHOUT_ANSWER, latest_fit, latest_plan
from runs.stored import stored_solution
from studies.adapt import demand_of, demand_rows, supply_of, targets_of
from studies.models import LargeText, Study, Variant, Workload


def text(row: LargeText) -> dict[str, Any]:
    """Return how far a large text is read, and what came of it."""
    result = row.result or {}
    return {
        **{name: getattr(row, name) for name in ("id", "status", "phase", "share", "message", "faults")},
        "reading": None if row.takes or not result else result,
        "rows": result.get("rows") if row.takes else None,
    }


def _counts(found: Mapping[Level, LevelCount]) -> dict[str, dict[str, int]]:
    return {level: {"replicas": count.replicas, "wanted": count.wanted} for level, count in found.items()}


def detail(row: Workload, variant: Variant) -> dict[str, Any]:
    """Return everything known of one row, as a variant sees it."""
    study, value = variant.study, demand_of(row)
    rows, growth = demand_rows(study), study.growth_percent
    facts = list(facts_of(value, rows, growth, Survival(variant.survive_zone)))
    # What depends on supply is left out where nothing is for sale yet.
    with suppress(InputRefused):  # Where no region is chosen yet nothing is for sale.
        facts.append(eligibility(value, supply_of(variant), targets_of(variant), rows))
        if value.kind is WorkloadKind.DAEMON:
            facts += _on_the_fleet(value, variant)
    asked = value.provenance.asked
    return {
        "key": row.key,
        "cells": cells_as_typed(value),
        "containers": [
            {
                "name": entry.name,
                "role": entry.role,
                "cpu": show_cpu(entry.request.cpu_millicores),
                "memory": show_memory(entry.request.memory_bytes),
                "cpu_limit": show_cpu(entry.limit.cpu_millicores) if entry.limit.cpu_millicores else "",
                "memory_limit": show_memory(entry.limit.memory_bytes) if entry.limit.memory_bytes else "",
            }
            for entry in value.pod.containers
        ],
        "levels": _counts(levels_of(value, growth)),
        "facts": [{name: getattr(entry, name) for name in ("label", "value", "why", "care")} for entry in facts],
        "origin": value.provenance.origin,
        "request_from": value.provenance.request_from,
        "asked_cpu": show_cpu(asked.cpu_millicores) if asked else None,
        "asked_memory": show_memory(asked.memory_bytes) if asked else None,
    }


def _on_the_fleet(value: Demand, variant: Variant) -> Iterator[Fact]:
    """Yield how many nodes of the fit a daemon workload runs on, and what it takes in all."""
    fit = latest_plan(variant)
    if fit is None:
        return
    labels = {entry.name: entry.labels() for entry in supply_of(variant).types}
    groups = stored_solution(fit).nodes
    nodes = sum(group.count for group in groups if matches(value, labels.get(group.instance_type, {})))
    cores, gib = nodes * value.request.cpu_millicores / 1000, nodes * value.request.memory_bytes / 2**30
    why = f"{cores:.1f} vCPU and {gib:.1f} GiB in all; it grows and shrinks with the fleet"
    yield Fact("runs on", f"{nodes} nodes of the fit", why)


def levels(study: Study) -> dict[str, Any]:
    """Return the demand of a study at every level."""
    stored = list(study.workloads.all())
    rows = [demand_of(row) for row in stored]
    counts = [levels_of(row, study.growth_percent) for row in rows]
    shares = hour_shares(study.level_shares)
    whole = []
    for level in Level:
        pairs = [(row, count[level].replicas) for row, count in zip(rows, counts, strict=True)]
        whole.append(
            {
                "level": level,
                "hours": float(shares[level] * HOURS_PER_MONTH),
                "replicas": sum(count for _, count in pairs),
                "cpu_millicores": sum(count * row.request.cpu_millicores for row, count in pairs),
                "memory_bytes": sum(count * row.request.memory_bytes for row, count in pairs),
            }
        )
    lines = [
        {
            "key": row.key,
            "name": value.full_name,
            "basis": value.sizing.basis,
            "why": basis_words(value),
            "counts": _counts(count),
        }
        for row, value, count in zip(stored, rows, counts, strict=True)
        if value.kind is not WorkloadKind.DAEMON
    ]
    return {"levels": whole, "rows": lines, "shares": study.level_shares, "growth_percent": study.growth_percent}


def running(variant: Variant) -> dict[str, Any] | None:
    """Return what runs now, priced by the variant's list, beside its fit; None where no cluster was listed."""
    study, listing = variant.study, variant.study.running
    if listing is None:
        return None
    found = running_of(listing)
    rows = demand_rows(study)
    requests = {row.full_name: row.request for row in rows}
    # What runs is shown also where the variant has no region, only without prices.
    try:
        supply: Supply | None = supply_of(variant)
    except InputRefused:
        supply = None
    pools = list(_running_pools(found.nodes, found.replicas, requests, supply))
    unpriced = sum(pool["nodes"] for pool in pools if pool["price_per_month"] is None)
    cost = sum((Decimal(pool["price_per_month"]) for pool in pools if pool["price_per_month"]), Decimal(0))
    fit = latest_fit(variant)
    planned = fit is not None and fit.status not in WITHOUT_ANSWER
    counted: Counter[str] = Counter()
    for here in found.replicas.values():
        counted.update(here)
    return {
        "origin": listing.origin,
        "read_at": listing.read_at,
        "nodes": len(found.nodes),
        "replicas": sum(counted.values()),
        "waiting": sum(found.waiting.values()),
        "pools": pools,
        "cost_per_month": money(cost),
        "unpriced": unpriced,
        "fit_per_month": money(fit.cost_per_hour * HOURS_PER_MONTH) if fit and planned else None,
        "fit_nodes": sum(group.count for group in stored_solution(fit).nodes) if fit and planned else None,
        "unknown": sorted(name for name in counted if name not in requests),
        "differs": list(_differing(rows, counted, study.growth_percent)),
        "currency": study.currency,
    }


def _differing(rows: Sequence[Demand], counted: Mapping[str, int], growth: int) -> Iterator[dict[str, Any]]:
    """Yield the workloads that run in other numbers than usual, the largest difference first."""
    found = []
    for row in rows:
        counts, running = levels_of(row, growth), counted.get(row.full_name, 0)
        usual, peak = counts[Level.USUAL].replicas, counts[Level.PEAK].replicas
        if row.kind is not WorkloadKind.DAEMON and running != usual:
            found.append(
                (abs(running - usual), {"name": row.full_name, "running": running, "usual": usual, "peak": peak})
            )
    yield from (line for _, line in sorted(found, key=lambda entry: -entry[0]))


def _running_pools(
    nodes: Sequence[Any],
    replicas: Mapping[str, Mapping[str, int]],
    requests: Mapping[str, Amounts],
    supply: Supply | None,
) -> Iterator[dict[str, Any]]:
    groups: dict[tuple[str, str], list[Any]] = {}
    for node in nodes:
        groups.setdefault((node.instance_type, node.zone), []).append(node)
    for (kind, zone), members in sorted(groups.items()):
        # On demand, as a listing does not tell how a node is paid for.
        price = _price(supply, kind, zone)
        used = [Amounts(), Amounts()]
        for node in members:
            used[0] += node.allocatable
            for name, count in replicas.get(node.name, {}).items():
                ask = requests.get(name, Amounts())
                used[1] += Amounts(count * ask.cpu_millicores, count * ask.memory_bytes)
        yield {
            "instance_type": kind or "not labelled",
            "zone": zone or "not labelled",
            "nodes": len(members),
            "price_per_month": None if price is None else money(price * HOURS_PER_MONTH * len(members)),
            "cpu_requested": used[1].cpu_millicores / max(used[0].cpu_millicores, 1),
            "memory_requested": used[1].memory_bytes / max(used[0].memory_bytes, 1),
        }


def _price(supply: Supply | None, kind: str, zone: str) -> Decimal | None:
    offers = (offer for entry in (supply.types if supply else ()) if entry.name == kind for offer in entry.offers)
    prices = [o.price_per_hour for o in offers if o.zone == zone and o.purchase is Purchase.ON_DEMAND]
    return min(prices, default=None)


def intake(row: Intake, user: User) -> dict[str, Any]:
    """Return a request with its history."""
    form = form_of(row.form)
    shown = {
        "namespace": form.namespace,
        "name": form.name,
        "owner": form.owner,
        "replicas": "" if form.replicas is None else str(form.replicas),
        "usual_rate": f"{form.usual_rate:g}" if form.usual_rate else "",
        "peak_rate": f"{form.peak_rate:g}" if form.peak_rate else "",
        "per_replica": f"{form.per_replica:g}" if form.per_replica else "",
        "cpu": "" if form.cpu_millicores is None else show_cpu(form.cpu_millicores),
        "memory": "" if form.memory_bytes is None else show_memory(form.memory_bytes),
        "importance": str(form.importance),
        "until": form.until.isoformat() if form.until else "",
    }
    return {
        "id": row.pk,
        "name": f"{form.namespace}/{form.name}",
        "asked_by": row.asked_by.shown_name,
        "mine": row.asked_by_id == user.pk,
        "asked_at": row.asked_at,
        "form": shown,
        "note": row.note,
        "outlook": row.outlook,
        "status": row.status,
        "study_id": row.study_id,
        "study": row.study.name if row.study else "",
        "steps": [
            {"at": step.at, "who": step.actor.shown_name, "status": step.status, "words": step.words}
            for step in row.steps.all()
        ],
    }


def intakes(rows: Iterable[Intake], user: User) -> list[dict[str, Any]]:
    """Return requests, newest first."""
    return [intake(row, user) for row in rows]
