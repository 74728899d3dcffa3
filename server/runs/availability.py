"""What a variant promises, as values to compute with and as plain values to store; journeys read over its latest fit."""

from __future__ import annotations

from dataclasses import dataclass
from decimal import Decimal

from rombel.availability import Evaluation, Plane
from rombel.availability.improvements import Improvement, improvements
from rombel.errors import Fault
from rombel.inquiry import World
from rombel.model.demand import Demand
from rombel.model.failure import FailureData, budget_minutes
from rombel.model.journey import Dependency, Journey, blocks_of, read_chain, show_chain
from runs.inputs import promises_of
from runs.models import Downtime, Fit
from runs.stored import stored_plan
from studies.adapt import dependencies_of, failures_of, journeys_of, plane_of, sized_rows
from studies.models import Variant


@dataclass(frozen=True, slots=True)
class PackedWorld:
    """What is promised, in a form that can be stored with a question; of each journey name, target in percent and chain."""

    rows: tuple[Demand, ...]
    data: FailureData
    dependencies: tuple[Dependency, ...]
    plane: Plane | None
    journeys: tuple[tuple[str, str, str], ...]


def world_of(variant: Variant) -> tuple[World, list[Fault]]:
    """Return what is promised; a journey with a link that is no longer there is a fault and left out."""
    study = variant.study
    rows, dependencies = sized_rows(variant), dependencies_of(study)
    known = {row.full_name for row in rows} | {entry.name for entry in dependencies}
    kept, faults = [], []
    # A row may have been removed since a chain named it.
    for journey in journeys_of(study, rows):
        missing = [name for name in blocks_of(journey.chain) if name not in known]
        if missing:
            reason = f"The journey '{journey.name}' needs '{missing[0]}', which is no longer there."
            faults.append(Fault("journey.link", journey.name, reason, "Correct its chain under Targets."))
        else:
            kept.append(journey)
    return World(tuple(rows), failures_of(study), tuple(dependencies), tuple(kept), plane_of(variant)), faults


def packed(world: World) -> PackedWorld:
    """Return a world to be stored."""
    journeys = tuple((j.name, str(j.target), show_chain(j.chain)) for j in world.journeys)
    return PackedWorld(tuple(world.rows), world.data, tuple(world.dependencies), world.plane, journeys)


def unpacked(stored: PackedWorld) -> World:
    """Return the world that was packed."""
    journeys = [Journey(name, Decimal(target), read_chain(chain)) for name, target, chain in stored.journeys]
    return World(stored.rows, stored.data, stored.dependencies, journeys, stored.plane)


def evaluation_in(world: World, fit: Fit) -> Evaluation:
    """Return the tables from which every journey over a fit is read."""
    return world.evaluation(*stored_plan(fit))


def downtime_over(variant: Variant, fit: Fit, rows: str = "") -> dict[str, float]:
    """Return by journey the minutes a month for which it is down over a plan; those whose links do not stand in it are left out.

    It is computed once for a plan and what is promised; ``rows`` is the fingerprint of the study's rows, where it is known.
    """
    inputs = promises_of(variant, rows)
    known = fit.downtimes.filter(inputs=inputs).first()
    if known is not None:
        return dict(known.minutes)
    world, _ = world_of(variant)
    found = minutes_down(world, evaluation_in(world, fit))
    # Two who ask at once compute it both, and keep it once.
    Downtime.objects.bulk_create([Downtime(fit=fit, inputs=inputs, minutes=found)], ignore_conflicts=True)
    return found


def minutes_down(world: World, evaluation: Evaluation) -> dict[str, float]:
    """Return by journey the minutes a month for which it is down; those whose links do not stand in the plan are left out."""
    return {
        journey.name: budget_minutes(evaluation.unavailability_of(journey)[0])
        for journey in world.journeys
        if not evaluation.missing(journey)
    }


def ways_of(world: World, fit: Fit, name: str) -> list[Improvement]:
    """Return what would help one journey; empty where there is none of that name or a link does not stand in the fit."""
    journey = next((entry for entry in world.journeys if entry.name == name), None)
    evaluation = evaluation_in(world, fit)
    return [] if journey is None or evaluation.missing(journey) else improvements(evaluation, journey)
