"""What hangs together with a workload, as it is sent."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import asdict
from typing import Any

from rombel.inquiry import relations
from rombel.model.demand import Basis, Demand
from rombel.model.quantity import show_memory
from runs.queries import latest_plan
from runs.stored import stored_solution
from studies.adapt import demand_of, demand_rows, journeys_of
from studies.models import Variant, Workload


def shown_relations(variant: Variant, stored: Workload) -> dict[str, Any]:
    """Return what hangs together with a workload of a variant."""
    row, rows = demand_of(stored), demand_rows(variant.study)
    fit = latest_plan(variant)
    found = relations(row, rows, journeys_of(variant.study, rows), None if fit is None else stored_solution(fit))
    return {
        "name": row.full_name,
        "journeys": [asdict(own) for own in found.journeys],
        "sends": _flows(found.sends),
        "gets": _flows(found.gets),
        "together": found.together,
        "apart": found.apart,
        "volumes": [
            f"{own.name} {show_memory(own.size_bytes)}{', bound to its zone' if own.zonal else ''}"
            for own in row.pod.volumes
        ],
        "budget": _budget(row),
        "scales": _scales(row),
        "nodes": [
            {**asdict(own), "beside": [{"workload": name, "replicas": count} for name, count in own.beside.items()]}
            for own in found.nodes
        ],
        "shares": [{"workload": name, "nodes": count} for name, count in found.shares.items()],
        "goes_along": found.goes_along,
    }


def _flows(sizes: Mapping[str, int]) -> list[dict[str, Any]]:
    return [{"workload": name, "size_bytes": size} for name, size in sorted(sizes.items(), key=lambda own: -own[1])]


def _budget(row: Demand) -> str:
    if row.budget is None:
        return "none is stated: any number may be taken down at once"
    if row.budget.max_unavailable:
        return f"at most {row.budget.max_unavailable} away by choice"
    return f"at least {row.budget.min_available} stay when nodes are drained"


def _scales(row: Demand) -> str:
    if row.sizing.basis is Basis.FIXED:
        return f"always {row.replicas}"
    if row.sizing.least is None and row.sizing.most is None:
        return "follows its load"
    return f"{row.sizing.least or 1} to {row.sizing.most or 'as many as its load asks for'}"
