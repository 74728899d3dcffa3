"""From availability's values to what the API gives."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator, Sequence
from dataclasses import asdict
from decimal import Decimal
from typing import Any

from api.money import money
from api.present_failures import figures
from rombel.availability import Evaluation, JourneyResult
from rombel.availability.improvements import Improvement
from rombel.fit import summarise
from rombel.inquiry import World
from rombel.model.demand import parted_name
from rombel.model.failure import MINUTES_PER_YEAR, FailureData
from rombel.model.failure import budget_minutes as minutes
from rombel.model.journey import Block, Journey, Part, blocks_of, show_chain
from runs.availability import evaluation_in, world_of
from runs.models import Fit
from runs.queries import WITHOUT_ANSWER, latest_fit
from runs.stored import stored_plan
from studies.models import Variant

STOPS = (
    "nothing that crashed for good or was lost with a node is placed again",
    "nothing lands from a lost zone, no node is added or taken away",
    "no release, no change of a workload; what serves goes on serving",
)
"""What waits while the control plane has no majority."""


def availability(variant: Variant) -> dict[str, Any]:
    """Return everything of a variant's availability."""
    started = time.perf_counter()
    (world, known), last = world_of(variant), latest_fit(variant)
    # Journeys that cannot be read are told as faults; the others are shown all the same.
    shown, faults = [], [asdict(fault) for fault in known]
    if last is not None and last.status not in WITHOUT_ANSWER:
        evaluation = evaluation_in(world, last)
        for journey in world.journeys:
            if missing := evaluation.missing(journey):
                fix = "Fit again." if missing[0] in {row.full_name for row in world.rows} else "Correct its chain."
                reason = f"'{missing[0]}' of the journey '{journey.name}' does not stand in the last fit."
                faults.append({"code": "journey.unplaced", "path": journey.name, "reason": reason, "fix": fix})
            else:
                shown.append(_journey(journey, evaluation, world))
    return {
        "fit_id": last.pk if shown and last else None,
        "journeys": shown,
        "dependencies": variant.study.dependencies,
        "plane": _plane(world),
        "figures": list(figures(world.data)),
        "faults": faults,
        "milliseconds": round(1000 * (time.perf_counter() - started), 1),
    }


def _journey(journey: Journey, evaluation: Evaluation, world: World) -> dict[str, Any]:
    result = evaluation.result(journey)
    return {
        "name": journey.name,
        "target": format(journey.target, "f"),
        "stated": journey.target > 0,
        "chain": show_chain(journey.chain),
        "structure": structure(journey.chain),
        "percent": percent(result.unavailability),
        "unavailability": result.unavailability,
        "minutes_month": minutes(result.unavailability),
        "minutes_year": result.unavailability * MINUTES_PER_YEAR,
        "within_minutes": minutes(result.bound_slack),
        "allowed_minutes": minutes(journey.allowed),
        "met": result.met,
        "causes": [{"name": c.name, "minutes": minutes(c.removes), "share": c.share} for c in result.causes],
        "links": list(_links(journey, result, evaluation, world)),
    }


def percent(unavailability: float) -> str:
    """Return an availability in percent with as many digits as tell it from the next nine, rounded down."""
    # Rounded down: 99.949 must never be shown as 99.95.
    digits = 2 if unavailability <= 0 else max(2, min(12, 1 - math.floor(math.log10(unavailability)) - 2 + 1))
    shown = (100 - Decimal(unavailability) * 100).quantize(Decimal(1).scaleb(-digits), rounding="ROUND_FLOOR")
    return format(shown, "f")


def structure(part: Part) -> dict[str, Any]:
    """Return a chain as nested parts."""
    if isinstance(part, Block):
        return {"name": part.name, "needed": 1, "parts": []}
    return {"name": None, "needed": part.needed, "parts": [structure(inner) for inner in part.parts]}


def _links(journey: Journey, result: JourneyResult, evaluation: Evaluation, world: World) -> Iterator[dict[str, Any]]:
    """Yield the links from the chain's first to its last."""
    losses = {loss.name: loss for loss in result.blocks}
    placement = evaluation.placement
    outside = {entry.name: entry for entry in world.dependencies}
    for name in blocks_of(journey.chain):
        known = {
            "name": name,
            "minutes": minutes(losses[name].removes),
            "share": losses[name].share,
            "alone_minutes": minutes(result.alone[name]),
        }
        if name in outside:
            failure = outside[name].failure
            why = f"{failure.origin}{f': {failure.why}' if failure.why else ''}"
            empty = {"replicas": 0, "needed": 0, "by_zone": {}, "windows": []}
            yield {**known, **empty, "kind": str(outside[name].reach), "why": why}
            continue
        stands = placement.workloads[name]
        # Infinite: lost replicas wait for the repair.
        windows = [None if w == math.inf else w for w in (stands.node_window_s, stands.zone_window_s)]
        row = next(entry for entry in world.rows if entry.full_name == name)
        why = f"{row.serving} of its replicas, as stated" if row.serving else _serving(row.kind, world.data)
        yield {
            **known,
            "kind": "workload",
            "replicas": placement.replicas(name),
            "needed": stands.needed,
            "by_zone": placement.by_zone(name),
            "windows": windows,
            "why": why,
        }


def _serving(kind: str, data: FailureData) -> str:
    if kind == "stateful":
        return "a majority, as it is stateful and states nothing else"
    return f"{data.serving_percent} % of its replicas, as it states nothing else"


def _plane(world: World) -> dict[str, Any]:
    plane = world.plane
    assert plane is not None
    return {
        "members": plane.members,
        "by_zone": plane.by_zone(),
        "minutes_month": minutes(plane.unavailability(world.data)),
        "promised_minutes": None if plane.promised is None else minutes(plane.promised),
        "surprises": list(plane.surprises(world.data)),
        "stops": list(STOPS),
    }


def improvements(found: Sequence[Improvement], fit: Fit) -> list[dict[str, Any]]:
    """Return steps that would help; a replica costs what one of its workload does in the fit."""
    problem, solution = stored_plan(fit)
    whole = summarise(problem, solution).workload_cost_per_month
    # A group's cost is that of the unit; a replica of a member costs as much as a unit, since the others come with it.
    costs = {
        name: money(whole.get(unit.name, Decimal(0)) / unit.replicas)
        for unit in problem.workloads
        if unit.replicas
        for name, _ in parted_name(unit.name)
    }
    return [
        {
            "kind": way.kind,
            "name": way.name,
            "minutes": minutes(way.removes),
            "cost": costs.get(way.name) if way.kind == "replica" else None,
        }
        for way in found
    ]
