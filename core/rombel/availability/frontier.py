"""The frontier of cost against availability: budgets of downtime from the loosest to the strictest that can be had."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from decimal import Decimal

from rombel.availability.options import Candidate, States
from rombel.model.failure import FailureData
from rombel.model.fit_problem import Survival
from rombel.model.journey import Dependency, Journey

SHARES = (1.0, 0.7, 0.5, 0.35, 0.25, 0.17, 0.11, 0.07, 0.04, 0.02, 0.008, 0.0)
"""Where the points lie between the least (0) and the most (1) that journeys can be away: closer where it is dear."""


def budgets(
    candidates: Sequence[Candidate],
    journeys: Sequence[Journey],
    dependencies: Sequence[Dependency],
    zones: Sequence[str],
    data: FailureData,
    shares: Sequence[float] = SHARES,
) -> list[list[Journey]]:
    """Return the journeys with the targets of each point, the loosest point first; every point can be reached."""
    states = States(zones, data, dependencies, [entry.start_up_s for entry in candidates])
    rows = {entry.name: states.options(entry) for entry in candidates}
    loose = {name: options[0].away for name, options in rows.items()}
    best = {
        name: min((o.away for o in options), key=lambda away: float(states.weights @ away))
        for name, options in rows.items()
    }
    ends = {j.name: (states.away(j, best), max(states.away(j, best), states.away(j, loose))) for j in journeys}
    return [[_with_budget(journey, *ends[journey.name], share) for journey in journeys] for share in shares]


def _with_budget(journey: Journey, least: float, most: float, share: float) -> Journey:
    """Return the journey with a target that lies so far between its ends, a hair looser against rounding."""
    allowed = (least + (most - least) * share) * (1 + 1e-6) + 1e-15
    return replace(journey, target=100 - Decimal(allowed) * 100)


def unpromised(candidates: Sequence[Candidate]) -> list[Candidate]:
    """Return the candidates free to survive nothing: the frontier promises only what its targets need."""
    return [replace(entry, at_least=Survival.NONE) for entry in candidates]
