"""From rows and core values to what the API gives."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Mapping, Sequence
from dataclasses import asdict
from datetime import date
from decimal import Decimal
from fractions import Fraction
from typing import Any

from django.conf import settings
from django.db.models import prefetch_related_objects

from accounts.models import User
from api import present_supply
from api.money import money
from config.shared import once_for_all
from jobs.claims import is_left
from jobs.versions import server_version
from jobs.waiting import place_of
from rombel.fit import FitSummary, summarise
from rombel.formats import cell_as_typed, show_labels
from rombel.model.compilation import asked_for
from rombel.model.demand import by_member, parted_name
from rombel.model.fit_problem import FitProblem, Survival
from rombel.model.fit_solution import FitSolution
from rombel.model.levels import levels_of
from rombel.model.quantity import HOURS_PER_MONTH
from runs.bills import month_by_workload, month_shares, weight
from runs.listing import StudyLine, cost_trends
from runs.models import Fit, Run
from runs.queries import latest_fit, latest_run, present_digest
from runs.stored import stored_plan
from signing.queries import standing_of
from studies.adapt import demand_of, sold_families
from studies.edits import variant_fields
from studies.models import Study, StudyRole, Variant, Workload
from studies.queries import next_steps
from studies.sharing import owners_of, role_in


def person(user: User) -> dict[str, Any]:
    """Return who a person is."""
    issuer = settings.INSTALLATION.oidc_issuer
    outside = bool(issuer) and user.outside.filter(issuer=issuer).exists()
    return {"username": user.username, "full_name": user.shown_name, "role": user.role, "outside": outside}


def study(row: Study) -> dict[str, Any]:
    """Return a study in short."""
    workloads = list(row.workloads.all())
    return {
        "id": row.pk,
        "name": row.name,
        "organisation": row.organisation,
        "currency": row.currency,
        "rates_id": row.rates_id,
        "growth_percent": row.growth_percent,
        "measured": row.usage_id is not None,
        "rehearses": bool(row.rehearsal),
        "listed": row.running_id is not None,
        "workloads": len(workloads),
        "replicas": sum(entry.replicas for entry in workloads),
        "variants": [variant_ref(entry) for entry in row.variants.all()],
        "created_at": row.created_at,
    }


def study_page(lines: Sequence[StudyLine], person: User) -> list[dict[str, Any]]:
    """Return studies of one page of the list as a person sees them: what only the page needs is read for all of it at once."""
    studies = [line.study for line in lines]
    prefetch_related_objects(studies, "variants", "shares__person")
    standing, trends = standing_of(studies), cost_trends(studies)
    return [
        {
            **_study_line(line, standing.get(line.study.pk, ()), trends.get(line.study.pk, ())),
            "yours": role_in(line.study, person),
        }
        for line in lines
    ]


def _study_line(line: StudyLine, standing: Collection[str], trend: Iterable[tuple[date, Decimal]]) -> dict[str, Any]:
    """Return a study in the list; ``standing`` holds ``signed`` and ``waiting`` where one of its plans is so."""
    row, shortest = line.study, line.shortest
    reference = next((entry for entry in row.variants.all() if entry.is_reference), None)
    return {
        "id": row.pk,
        **{name: getattr(row, name) for name in ("name", "organisation", "currency", "tags")},
        "archived": row.archived_at is not None,
        **{state: state in standing for state in ("signed", "waiting")},
        "owners": [person.shown_name for person in owners_of(row)],
        "blockers": None if line.fit is None else line.fit.blockers,
        "warnings": None if line.fit is None else line.fit.warnings,
        "with_fees": line.fit is not None and line.fit.fees_per_month is not None,
        **{name: getattr(line, name) for name in ("workloads", "replicas", "gap", "touched_at", "touched_by")},
        "variants": [variant_ref(entry) for entry in row.variants.all()],
        "cost_per_month": None if line.cost_per_month is None else money(line.cost_per_month),
        "trend": [{"day": day, "cost": money(cost)} for day, cost in trend],
        "shortest": None if shortest is None else asdict(shortest),
        "survive_zone": "none" if reference is None else reference.survive_zone,
        "lost_nodes": 0 if reference is None else reference.lost_nodes,
    }


def variant_ref(row: Variant) -> dict[str, Any]:
    """Return a variant in a list."""
    own = {name: getattr(row, name) for name in ("name", "is_reference", "note")}
    return {"id": row.pk, "came_from": row.came_from_id, **own}


def workload(row: Workload, growth_percent: int) -> dict[str, Any]:
    """Return a row of the demand sheet."""
    value = demand_of(row)
    levels = levels_of(value, growth_percent)
    return {
        "key": str(row.key),
        "namespace": row.namespace,
        "name": row.name,
        "kind": row.kind,
        "replicas": row.replicas,
        "cpu_millicores": row.cpu_millicores,
        "memory_bytes": row.memory_bytes,
        "cpu": cell_as_typed(value, "cpu"),
        "memory": cell_as_typed(value, "memory"),
        "zone_skew": row.zone_skew,
        "most_per_node": row.most_per_node,
        "node_labels": show_labels(row.node_labels),
        "owner": row.owner,
        "promised": row.promised,
        "labels": show_labels(row.labels),
        "interruptible": str(row.interruptible_percent or ""),
        "journey": row.journey,
        "service": row.service,
        "together": row.together,
        "basis": value.sizing.basis,
        "counts": {level: count.replicas for level, count in levels.items()},
        "cut": any(count.cut for count in levels.values()),
        "sized": value.provenance.asked is not None,
    }


def run(row: Run) -> dict[str, Any]:
    """Return where a run stands."""
    return {
        "id": row.pk,
        "status": row.status,
        "phase": "its worker is gone; another one takes it up" if is_left(row.job) else row.phase,
        "share": row.share,
        "cost_per_month": money(row.cost_per_hour * HOURS_PER_MONTH),
        "floor_per_month": money(row.floor_per_hour * HOURS_PER_MONTH),
        "stop_requested": row.stop_requested,
        "message": row.message,
        "answers": row.answers,
        **place_of(row.job),
    }


def _nodes(summary: FitSummary) -> list[dict[str, Any]]:
    names = ("number", "count", "instance_type", "zone", "usable", "requested")
    return [
        {
            **{name: getattr(node, name) for name in names},
            "purchase": str(node.purchase),
            "replicas": by_member(node.replicas),
            "landing": {zone: by_member(part) for zone, part in node.landing.items()},
            "arriving": {zone: dict(part) for zone, part in node.arriving.items()},
        }
        for node in summary.nodes
    ]


def _pools(summary: FitSummary) -> list[dict[str, Any]]:
    """Return the pools, the dearest first."""
    names = ("instance_type", "nodes", "binding", "used", "free")
    return [
        {
            **{name: getattr(pool, name) for name in names},
            "purchase": str(pool.purchase),
            "cost_per_month": money(pool.cost_per_month),
        }
        for pool in sorted(summary.pools, key=lambda pool: (-pool.cost_per_month, pool.instance_type))
    ]


def _growth(summary: FitSummary, solution: FitSolution) -> dict[str, Any]:
    """Return, by zone that may be lost, what is bought then."""
    return {
        zone: {
            "nodes": [
                {"instance_type": b.instance_type, "purchase": str(b.purchase), "zone": b.zone, "count": b.count}
                for b in batches
            ],
            "cost_per_hour": format(summary.growth_per_hour[zone], "f"),
        }
        for zone, batches in (solution.growing or {}).items()
    }


def _left_out(problem: FitProblem) -> list[str]:
    """Return the workloads that the promise to survive a zone leaves out, by their own names."""
    workloads = asked_for(problem)
    # By the problem that was fitted, not by the sheet, which may have been edited since.
    names = [entry.name for entry in workloads if problem.promise_of(entry) is Survival.NONE]
    # Every workload without the promise means that the study has none.
    if len(names) == len(workloads):  # There is no such promise.
        return []
    return sorted(own for name in names for own, _ in parted_name(name))


FIGURES_S = 24 * 3600
"""A plan that nobody looks at is worked out again after a day."""


def fit(row: Fit, workloads: Iterable[Workload]) -> dict[str, Any]:
    """Return a finished fit in figures; the workloads as they stand weigh the members of groups."""
    weights = {f"{w.namespace}/{w.name}": weight(w.cpu_millicores, w.memory_bytes) for w in workloads}

    def worked_out() -> tuple[dict[str, Any], Mapping[str, Fraction]]:
        return _figures(row), month_shares(row, stored_plan(row))

    # A plan never changes: its nodes, pools and lanes, and who pays for what, are worked out once for all web processes.
    # A level's fit is part of a design and has no number of its own.
    key = f"figures-{server_version()}-{row.pk}"
    figures, shares = once_for_all(key, worked_out, FIGURES_S) if row.pk else worked_out()
    paid = month_by_workload(shares, weights)
    return {**figures, "workload_cost_per_month": {name: money(cost) for name, cost in paid.items()}}


def _figures(row: Fit) -> dict[str, Any]:
    problem, solution = stored_plan(row)
    summary = summarise(problem, solution)
    limits = problem.limits
    return {
        "id": row.pk,
        "status": row.status,
        "currency": solution.currency,
        "cost_per_month": money(summary.cost_per_month),
        "floor_per_month": money(summary.floor_per_month),
        "cost_per_hour": format(solution.cost_per_hour, "f"),
        "floor_per_hour": format(solution.floor_per_hour, "f"),
        "proved_per_month": None if row.proved_per_hour is None else money(row.proved_per_hour * HOURS_PER_MONTH),
        "gap": summary.gap,
        "survive_zone": str(problem.survive_zone),
        "lost_nodes": problem.survive_nodes.count if problem.survive_nodes.promised else 0,
        "survive_nodes": str(problem.survive_nodes.how),
        "left_out": _left_out(problem),
        "zones": list(problem.zones),
        "nodes": _nodes(summary),
        "pools": _pools(summary),
        "zone_cost_per_month": {zone: money(cost) for zone, cost in summary.zone_cost_per_month.items()},
        "room_left": dict(summary.room_left),
        "reasons": list(solution.reasons),
        "growth": _growth(summary, solution),
        "limits": {
            "most_pools": limits.most_pools,
            "fewest_nodes_per_pool": limits.fewest_nodes_per_pool,
            "fewest_nodes_per_zone": limits.fewest_nodes_per_zone,
            "equal_zones": int(limits.equal_zones),
        },
        **{name: getattr(row, name) for name in ("seconds", "seed", "core_version", "created_at")},
    }


def variant(row: Variant) -> dict[str, Any]:
    """Return a variant's choices."""
    sold = list(sold_families(row.region)) if row.region else []
    own = {"id": row.pk, "name": row.name, "is_reference": row.is_reference}
    return {**own, **variant_fields(row), "sold_families": sold}


def bench(row: Variant, role: StudyRole) -> dict[str, Any]:
    """Return everything the bench shows of one variant to somebody of a role in its study."""
    # The bench is asked for after every edit, and this is its dearest read.
    prefetch_related_objects([row.study], "workloads")  # Read once for all that looks at them below.
    digest, faults = present_digest(row)
    last_fit, last_run = latest_fit(row), latest_run(row)
    workloads = list(row.study.workloads.all())
    undo, redo = next_steps(row.study)
    return {
        "study": study(row.study),
        "yours": role,
        "variant": variant(row),
        "region": present_supply.region(row.region) if row.region else None,
        "workloads": [workload(entry, row.study.growth_percent) for entry in workloads],
        "edits": {
            "undo": undo.words if undo else None,
            "redo": redo.words if redo else None,
            "undo_id": undo.number if undo else None,
            "redo_id": redo.number if redo else None,
        },
        "faults": faults,
        "fit": fit(last_fit, workloads) if last_fit else None,
        "fit_is_current": last_fit is not None and last_fit.digest == digest,
        "run": run(last_run) if last_run else None,
        **present_supply.supply_part(row, last_fit),
    }
