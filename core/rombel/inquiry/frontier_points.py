"""The frontier of cost against availability, one really fitted point after another, each from what its neighbours have found."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from decimal import Decimal

from rombel.availability.frontier import budgets, unpromised
from rombel.availability.options import Candidate
from rombel.availability.sizing import size
from rombel.fit import FitObserver, FitParams, SearchParams, fit, refit
from rombel.inquiry.size_then_fit import World, candidates_of, given_up, held, held_in, resized
from rombel.model.demand import Size
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, FitStatus

PARAMS = FitParams(search=SearchParams(work=12_000_000))
"""Of the fit of a point: it starts from a neighbour's answer."""


@dataclass(frozen=True, slots=True)
class FrontierPoint:
    """One computed fit.

    Parameters
    ----------
    index
        Its place among the budgets, the loosest first.
    cost_per_hour, floor_per_hour
        Of the fit.
    unavailability
        By journey its exact unavailability.
    replicas
        All that stand.
    sizes
        Of the journeys' workloads.
    gives_up
        Workloads that survive the loss of a zone less strictly here than is promised.
    solution
        The fit, where it is at hand.

    """

    index: int
    cost_per_hour: Decimal
    floor_per_hour: Decimal
    unavailability: Mapping[str, float]
    replicas: int
    sizes: Mapping[str, Size] = field(default_factory=dict)
    gives_up: tuple[str, ...] = ()
    solution: FitSolution | None = None


def frontier_point(
    index: int,
    problem: FitProblem,
    solution: FitSolution,
    world: World,
    *,
    known: Sequence[FrontierPoint] = (),
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
) -> FrontierPoint | None:
    """Return one point of the frontier of cost against availability; None where its problem has no fit, or it was stopped.

    The budgets run from what comes for nothing to the least that can be had; a workload of a journey promises only what
    its budget needs, all others stay as they are. Sizes that a known point has are not fitted again; other sizes start from the
    answer of the nearest one; and where a known point is as good for less, it is this one's answer too.
    """
    candidates = candidates_of(problem, solution, world)
    # The frontier leaves the targets aside and asks for budgets, so nothing is promised beforehand.
    free = unpromised(candidates)
    aims = budgets(free, world.journeys, world.dependencies, problem.zones, world.data)[index]
    sizing = size(free, aims, world.dependencies, problem.zones, world.data)
    # Which zone has one more of a workload matters beside what stands in one zone alone.
    sizes = held_in(held(sizing.sizes, candidates), candidates, problem.zones)
    # Two budgets can lead to the same sizes, and then to the same fit.
    for point in known:
        if point.sizes == sizes:
            return replace(point, index=index)
    # A neighbour's answer has nearly these sizes and so is the better start.
    nearest = min((p for p in known if p.solution is not None), key=lambda p: abs(p.index - index), default=None)
    start = solution if nearest is None or nearest.solution is None else nearest.solution
    changed = resized(problem, sizes, world.rows)
    near = refit(changed, start, seed=seed)
    found = fit(changed, seed=seed, params=params or PARAMS, observer=observer, before=near or start)
    if not found.found or found.status is FitStatus.STOPPED:
        return None
    # A neighbour that costs less and serves no worse makes this point needless; its answer is told here too.
    own = _point(index, changed, found, sizes, world, candidates)
    better = [point for point in known if _is_as_good(point, own)]
    cheapest = min([own, *better], key=lambda point: point.cost_per_hour)
    return replace(cheapest, index=index)


def _point(
    index: int,
    problem: FitProblem,
    solution: FitSolution,
    sizes: Mapping[str, Size],
    world: World,
    candidates: Sequence[Candidate],
) -> FrontierPoint:
    """Return the point that a fit is."""
    unavailability = world.unavailability(problem, solution, sizes)
    count = sum(batch.count * sum(batch.replicas.values()) for batch in solution.nodes)
    cost, floor = solution.cost_per_hour, solution.floor_per_hour
    return FrontierPoint(index, cost, floor, unavailability, count, sizes, given_up(sizes, candidates), solution)


def _is_as_good(point: FrontierPoint, other: FrontierPoint) -> bool:
    """Return whether a point costs no more than another, and no journey is down longer."""
    return point.cost_per_hour <= other.cost_per_hour and all(
        point.unavailability.get(name, 1.0) <= unavailability * (1 + 1e-9)
        for name, unavailability in other.unavailability.items()
    )


def undominated_points(points: Iterable[FrontierPoint]) -> list[FrontierPoint]:
    """Return the points beside which no other is as good for no more, the first of equal ones, in the order of their places."""
    kept: list[FrontierPoint] = []
    for point in sorted(points, key=lambda point: point.index):
        if not any(_is_as_good(other, point) for other in kept):
            kept = [other for other in kept if not _is_as_good(point, other)] + [point]
    return kept
