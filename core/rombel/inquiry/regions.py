"""Several regions: the demand really fitted in each, the cost of every way to work together, and the minutes it buys."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal

from rombel.availability import Evaluation
from rombel.availability.regions import Across, RegionTimes, Together, across
from rombel.fit import FitObserver, FitParams, fit
from rombel.inquiry.size_then_fit import World
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, FitStatus
from rombel.model.journey import Journey


@dataclass(frozen=True, slots=True)
class RegionPlan:
    """One way to work over regions.

    Parameters
    ----------
    together, regions
        How, and which; the first leads where one stands by.
    cost_per_hour
        Of all of them; None: one of them has no fit, ``reasons`` say why.
    bears
        By region, the part of the whole demand that it is sized to bear.
    across
        By journey.

    """

    together: Together
    regions: tuple[str, ...]
    bears: tuple[float, ...]
    cost_per_hour: Decimal | None
    across: dict[str, Across]
    reasons: tuple[str, ...] = ()


@dataclass(frozen=True)
class RegionInput:
    """A region by name, the problem of the whole demand in it, and a fit of that where one is known."""

    name: str
    problem: FitProblem
    solution: FitSolution | None = None


def region_plans(
    regions: Sequence[RegionInput],
    world: World,
    times: RegionTimes,
    *,
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
    on_plan: Callable[[RegionPlan], None] | None = None,
) -> list[RegionPlan]:
    """Return the first region alone, then with each other standing by, serving with it, and all of them serving.

    Each of several that serve is sized so that any one may vanish: alike, of ``n`` regions each bears one in ``n - 1``.
    """
    bench = _Bench(regions, world, seed, params, observer)
    found = []
    # The first region leads in every way that has two.
    for together, chosen in _ways(len(regions)):
        way = bench.way(together, chosen, times)
        found.append(way)
        if on_plan is not None:
            on_plan(way)
        if bench.stopped:
            break
    return found


def _ways(count: int) -> Iterator[tuple[Together, tuple[int, ...]]]:
    yield Together.ONE, (0,)
    for other in range(1, count):
        yield Together.STANDBY, (0, other)
        yield Together.ALL, (0, other)
    # With more than two the way in which all serve needs less kept back in each.
    if count > 2:
        yield Together.ALL, tuple(range(count))


class _Bench:
    """Fits of regions, each made once."""

    def __init__(
        self,
        regions: Sequence[RegionInput],
        world: World,
        seed: int,
        params: FitParams | None,
        observer: FitObserver | None,
    ) -> None:
        self._regions, self._world, self._seed, self._params = regions, world, seed, params
        self._observer = observer
        self._known: dict[tuple[int, float], tuple[FitSolution, Evaluation | None]] = {}
        self.stopped = False

    def way(self, together: Together, chosen: Sequence[int], times: RegionTimes) -> RegionPlan:
        # Where all serve, each must bear its share of what a vanished one leaves.
        bears = tuple(times.bears(len(chosen))) if together is Together.ALL else (1.0,) * len(chosen)
        fits = [self._fit(number, part) for number, part in zip(chosen, bears, strict=True)]
        names = tuple(self._regions[number].name for number in chosen)
        reasons = [
            f"{name}: {reason}" for name, (made, _) in zip(names, fits, strict=True) for reason in made.reasons[:2]
        ]
        # One region without a fit makes the whole way impossible; its reasons say why.
        evaluations = [evaluation for _, evaluation in fits if evaluation is not None]
        if len(evaluations) < len(fits):
            return RegionPlan(together, names, bears, None, {}, tuple(reasons))
        cost = sum((made.cost_per_hour for made, _ in fits), Decimal(0))
        found = {
            j.name: across(evaluations, j, together, times) for j in self._world.journeys if _stands(j, evaluations)
        }
        return RegionPlan(together, names, bears, cost, found)

    def _fit(self, number: int, part: float) -> tuple[FitSolution, Evaluation | None]:
        """Return the fit of a region that bears a part of the whole, and what its journeys are read from."""
        # Two ways may ask the same of a region: fitted once.
        if (number, part) not in self._known:
            given, whole = self._regions[number], part > 1 - 1e-9
            problem = given.problem if whole else shared(given.problem, part)
            solution = given.solution if whole else None
            if solution is None:
                solution = fit(problem, seed=self._seed, params=self._params, observer=self._observer)
                self.stopped = self.stopped or solution.status is FitStatus.STOPPED
            feasible = solution.found
            self._known[number, part] = solution, self._world.evaluation(problem, solution) if feasible else None
        return self._known[number, part]


def _stands(journey: Journey, evaluations: Sequence[Evaluation]) -> bool:
    return not any(evaluation.missing(journey) for evaluation in evaluations)


def shared(problem: FitProblem, part: float) -> FitProblem:
    """Return the problem with a part of every workload's replicas, rounded up."""
    # Rounded up: replicas are whole in every region.
    workloads = tuple(replace(w, replicas=math.ceil(w.replicas * part - 1e-9)) for w in problem.workloads)
    return replace(problem, workloads=workloads)
