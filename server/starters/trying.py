"""What a starter that is being filled in would make, shown while somebody types."""

from __future__ import annotations

import uuid
from collections.abc import Mapping
from dataclasses import dataclass, replace
from decimal import Decimal

from django.db import transaction

from accounts.models import User
from rombel.errors import InputRefused
from rombel.fit import ExactParams, FitParams, SearchParams, WholeParams, fit
from rombel.model.failure import budget_minutes
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution
from rombel.model.quantity import HOURS_PER_MONTH
from runs.availability import minutes_down, world_of
from runs.bills import fees_beside
from starters.actions.fill_starter import Asked, make_of
from starters.models import StarterVersion
from studies.adapt import problem_of
from studies.models import Variant
from studies.queries import variant_by_id

QUICK = FitParams(
    most_pairs_for_patterns=0,
    searches=1,
    most_nodes_evened=0,
    search=SearchParams(work=20_000),
    whole=WholeParams(most_pairs=0),
    exact=ExactParams(most_patterns=0),
)
"""So little is tried while somebody types: a plan that holds, and the floor that is found at once."""


class _Undone(Exception):
    """Ends a transaction of which nothing is to stay."""


@dataclass(frozen=True, slots=True)
class Trial:
    """What answers would make: cost and floor a month, nodes, replicas, and by journey the minutes a month it is down and those allowed.

    ``reasons``: why there is no plan; everything else is empty then.
    """

    currency: str
    cost_per_month: Decimal | None
    floor_per_month: Decimal | None
    nodes: int
    replicas: int
    journeys: Mapping[str, tuple[float, float]]
    reasons: tuple[str, ...]


def trial(actor: User, version: StarterVersion, asked: Asked) -> Trial:
    """Return what answers would make, with a quick plan; nothing of it is stored.

    Raises
    ------
    InputRefused
        With every fault of the answers and of the study that they make.

    """
    # Its own name may be taken or not typed yet, which is told when the study is made.
    nameless = replace(asked, title=f"trial {uuid.uuid4()}")
    found: list[Trial] = []
    try:
        with transaction.atomic():
            # The very rows that the study will have, so that what is shown is what is made.
            study = make_of(actor, version, nameless).execute()
            found.append(_tried(variant_by_id(study.variants.get().pk)))
            raise _Undone
    except _Undone:
        return found[0]


def _tried(variant: Variant) -> Trial:
    currency, rows = variant.study.currency, sum(row.replicas for row in variant.study.workloads.all())
    problem = problem_of(variant)
    solution = fit(problem, seed=0, params=QUICK)
    if not solution.found:
        return Trial(currency, None, None, 0, rows, {}, solution.reasons or ("No plan was found at once.",))
    # What is paid beside nodes is paid under every plan: it goes with both sums.
    fees = fees_beside(variant, solution.nodes)
    return Trial(
        currency,
        solution.cost_per_hour * HOURS_PER_MONTH + fees,
        solution.floor_per_hour * HOURS_PER_MONTH + fees,
        sum(batch.count for batch in solution.nodes),
        rows,
        _journeys(variant, problem, solution),
        (),
    )


def _journeys(variant: Variant, problem: FitProblem, solution: FitSolution) -> dict[str, tuple[float, float]]:
    try:
        world, _ = world_of(variant)
        evaluation = world.evaluation(problem, solution)
    except InputRefused:
        return {}
    down = minutes_down(world, evaluation)
    return {
        journey.name: (down[journey.name], budget_minutes(journey.allowed))
        for journey in world.journeys
        if journey.target > 0 and journey.name in down
    }
