"""Limits that would have sufficed: the cheapest found under which a promise holds, over several seeds.

What is searched are the least nodes and the room kept back of every pool in every zone, and how the nodes of a type are paid for: on demand,
committed to, or interruptible. The most follow from what was needed. Fewer least nodes cost less and let replicas wait longer, mostly: that
order is what the search goes by and not what it claims. What is told are rehearsals that were played; that no cheaper limits hold is not proved.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from decimal import Decimal

from rombel.model.fit_problem import FitProblem, OfferKey
from rombel.model.fit_solution import FitSolution
from rombel.model.rehearsal import Rehearsal
from rombel.simulate.rehearsal.limit_search import LimitsSearch
from rombel.simulate.rehearsal.limits import Planned, Promise, Sufficing


def limits_that_hold(
    problem: FitProblem,
    solution: FitSolution,
    rehearsal: Rehearsal,
    promise: Promise,
    planned: Mapping[OfferKey, Planned],
    ceilings: Mapping[OfferKey, int],
    *,
    runs: int = 20,
    on_progress: Callable[[str, float], bool] | None = None,
) -> Sufficing:
    """Return the cheapest limits found under which a promise holds.

    Parameters
    ----------
    problem, solution, rehearsal
        What is played; the rehearsal's own limits are those before.
    promise
        What has to hold.
    planned, ceilings
        By offer what limits keep in any case, and how many nodes there may be at most, whatever is asked. Purchases of the same types that have
        no ceiling are tried with that of the type's largest in the zone.
    runs
        Seeds with which what was found is played in the end, from 0 on.
    on_progress
        Is told phase and share; returns whether to stop. Then the best so far is told.

    """
    search = LimitsSearch(problem, solution, rehearsal, promise, planned, ceilings, on_progress)
    before = search.play(rehearsal.ranges, 0).total
    roomy = search.roomy()
    if not search.holds(roomy):
        late = search.play(roomy, 0).share("late")
        reason = (
            f"With as many nodes as may be from the start {100 * late:.2f} % of the demand are late all the same: start-up times, the most "
            "replicas of workloads or their scaling rules are what holds it up, and not limits of pools."
        )
        return Sufficing((), 0, 1, 0.0, Decimal(0), before, search.undominated(), search.rise, reason)
    found = search.lowered(search.paid_otherwise(search.cheapest_together()))
    return search.told(found, before, runs)


def ceilings_of(problem: FitProblem, offers: Mapping[OfferKey, int], factor: int = 3) -> Iterator[tuple[OfferKey, int]]:
    """Yield by offer how many nodes a search lets there be at most: so many times what is given, inside what is sold."""
    sold = {t.key(o): o.most_nodes for t in problem.instance_types for o in t.offers}
    for key, count in offers.items():
        most = sold.get(key)
        yield key, factor * count + 1 if most is None else min(factor * count + 1, most)
