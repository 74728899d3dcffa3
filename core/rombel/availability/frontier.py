"""The frontier of cost against availability: budgets of downtime from the loosest to the strictest that can be had."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from rombel.availability.options import Candidate, Option, States
from rombel.model.failure import FailureData
from rombel.model.fit_problem import Survival
from rombel.model.journey import Dependency, Journey

SHARES = (0.7, 0.48, 0.32, 0.21, 0.13, 0.075, 0.04, 0.02, 0.008, 0.0)
"""Where points lie between the least that can be had (0) and what comes for nothing (1): closer where it is dear."""

POINTS = len(SHARES) + 2
"""Before them stands what is down with nothing promised, and the best that costs no replica and no room."""


def budgets(
    candidates: Sequence[Candidate],
    journeys: Sequence[Journey],
    dependencies: Sequence[Dependency],
    zones: Sequence[str],
    data: FailureData,
) -> list[list[Journey]]:
    """Return the journeys with the targets of each point, the loosest point first; every point can be reached."""
    states = States(zones, data, dependencies, [entry.start_up_s for entry in candidates])
    rows = {entry.name: states.options(entry) for entry in candidates}

    def unavailability(options: Callable[[list[Option]], list[Option]]) -> dict[str, float]:
        best = {name: states.least_unavailable(options(known)).unavailability for name, known in rows.items()}
        return {journey.name: states.unavailability(journey, best) for journey in journeys}

    # Three corners: nothing promised, the best that costs nothing, the best there is.
    loosest = unavailability(lambda options: options[:1])
    free = unavailability(lambda options: [o for o in options if o.cost <= options[0].cost])
    least = unavailability(lambda options: options)
    found = [loosest, free]
    # Between the last two on a scale that is finer where downtime is dear to lower.
    found += [{name: least[name] + (free[name] - least[name]) * share for name in free} for share in SHARES]
    # A hair looser against rounding.
    return [[j.allowing(point[j.name] * (1 + 1e-6) + 1e-15) for j in journeys] for point in found]


def unpromised(candidates: Sequence[Candidate]) -> list[Candidate]:
    """Return the candidates free to survive nothing: the frontier promises only what its targets need."""
    return [replace(entry, at_least=Survival.NONE) for entry in candidates]
