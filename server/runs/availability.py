"""How long a variant's journeys are away over its latest fit, computed when asked."""

from __future__ import annotations

from dataclasses import dataclass

from rombel.availability import Evaluation, Placement, Plane, evaluate, placement_of
from rombel.availability.ways import Way, ways
from rombel.errors import Fault
from rombel.formats import read_problem, read_solution
from rombel.model.demand import Demand
from rombel.model.failure import FailureData
from rombel.model.journey import Dependency, Journey, links_of
from runs.models import Fit
from studies.adapt import demand_rows, dependencies_of, failures_of, journeys_of, plane_of
from studies.models import Variant


@dataclass(frozen=True)
class Promises:
    """What a variant's study promises, in the core's values; journeys that name what is gone are told apart."""

    rows: tuple[Demand, ...]
    data: FailureData
    dependencies: tuple[Dependency, ...]
    journeys: tuple[Journey, ...]
    plane: Plane
    faults: tuple[Fault, ...] = ()


def promises_of(variant: Variant) -> Promises:
    """Return what is promised; a journey with a link that is no longer there is a fault and left out."""
    study = variant.study
    rows, dependencies = demand_rows(study), dependencies_of(study)
    known = {row.full_name for row in rows} | {entry.name for entry in dependencies}
    kept, faults = [], []
    for journey in journeys_of(study, rows):
        missing = [name for name in links_of(journey.chain) if name not in known]
        if missing:
            reason = f"The journey '{journey.name}' needs '{missing[0]}', which is no longer there."
            faults.append(Fault("journey.link", journey.name, reason, "Correct its chain under Targets."))
        else:
            kept.append(journey)
    return Promises(tuple(rows), failures_of(study), tuple(dependencies), tuple(kept), plane_of(variant), tuple(faults))


def placement_in(promises: Promises, fit: Fit) -> Placement:
    """Return what a fit makes stand where, of the workloads that journeys need."""
    problem, solution = read_problem(fit.problem), read_solution(fit.solution)
    placement = placement_of(problem, solution, promises.rows, promises.data, promises.plane)
    asked = {name for journey in promises.journeys for name in links_of(journey.chain)}
    return placement.of([name for name in placement.workloads if name in asked])


def evaluation_in(promises: Promises, fit: Fit) -> Evaluation:
    """Return the tables from which every journey over a fit is read."""
    return evaluate(placement_in(promises, fit), promises.data, promises.dependencies)


def ways_of(promises: Promises, fit: Fit, name: str) -> list[Way]:
    """Return what would help one journey; empty where there is none of that name."""
    journey = next((entry for entry in promises.journeys if entry.name == name), None)
    return [] if journey is None else ways(evaluation_in(promises, fit), journey)
