"""What the answers of a sweep say together: the spread of cost, what drives it, and how much each choice could be regretted."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rombel.sweep.plan import Choice, SweepPlan, Unknown

Grid = NDArray[np.float64]
"""(choices, futures) amounts a month; NaN where there is none."""

FEWEST_FOR_DRIVERS = 20
"""With fewer draws than this nothing is said of what drives cost: chance would speak."""
_PER_GROUP = 10


@dataclass(frozen=True, slots=True)
class Driver:
    """How much of the variance of cost one quantity explains by itself, 0 to 1: its first-order sensitivity."""

    name: Choice | Unknown
    share: float


@dataclass(frozen=True, slots=True)
class Outcome:
    """What becomes of one combination of choices over all futures.

    Parameters
    ----------
    mean, low, middle, high
        Cost a month: mean, the tenth, fiftieth and ninetieth percentile of those that have a plan; None: no future has one.
    worst_regret, worst_future, mean_regret
        How much more it costs than the cheapest choice of the same future, at most and on average, and where; None: it has no plan in
        some future in which another choice has one, and nothing makes up for that.
    sure_regret
        The most that is proved of it: by how much its floor lies above the cost of another choice's plan in some future.
    cheapest
        In how many futures no other choice costs less.
    planned, unplanned
        In how many futures a plan was found, and in how many none.

    """

    mean: float | None
    low: float | None
    middle: float | None
    high: float | None
    worst_regret: float | None
    worst_future: int | None
    mean_regret: float | None
    sure_regret: float
    cheapest: int
    planned: int
    unplanned: int


def comparable(cost: Grid, answered: NDArray[np.bool_]) -> NDArray[np.bool_]:
    """Return (futures,) whether every choice has been answered there, and one at least has a plan."""
    planned = np.logical_not(np.isnan(cost).all(axis=0))
    found: NDArray[np.bool_] = np.logical_and(answered.all(axis=0), planned)
    return found


def outcomes(cost: Grid, floor: Grid, answered: NDArray[np.bool_]) -> list[Outcome]:
    """Return what becomes of each choice; regret is taken over the futures in which every choice has been answered.

    Regret is that of Savage 1951, "The theory of statistical decision", Journal of the American Statistical Association 46:55-67 (from
    memory): the choice with the least worst regret is never far from what one would have chosen, had one known.

    Parameters
    ----------
    cost, floor
        (choices, futures) a month; NaN where no plan was found.
    answered
        (choices, futures): whether the point was computed at all.

    """
    compared = comparable(cost, answered)
    best = np.full(cost.shape[1], np.nan)
    if compared.any():
        best[compared] = np.nanmin(cost[:, compared], axis=0)
    return [_outcome(cost[row], floor[row], answered[row], best) for row in range(len(cost))]


def _outcome(cost: Grid, floor: Grid, answered: NDArray[np.bool_], best: Grid) -> Outcome:
    known, compared = cost[~np.isnan(cost)], ~np.isnan(best)
    low, middle, high = (float(value) for value in np.percentile(known, (10, 50, 90))) if len(known) else (None,) * 3
    regret = cost[compared] - best[compared]
    worst = None if not len(regret) or np.isnan(regret).any() else int(np.argmax(regret))
    proved = floor[compared] - best[compared]
    return Outcome(
        mean=float(known.mean()) if len(known) else None,
        low=low,
        middle=middle,
        high=high,
        worst_regret=None if worst is None else float(regret[worst]),
        worst_future=None if worst is None else int(np.flatnonzero(compared)[worst]),
        mean_regret=None if worst is None else float(regret.mean()),
        sure_regret=max(0.0, float(np.nanmax(proved))) if len(proved) and not np.isnan(proved).all() else 0.0,
        cheapest=int(np.count_nonzero(regret <= 0)),
        planned=len(known),
        unplanned=int(np.count_nonzero(answered)) - len(known),
    )


def drivers(plan: SweepPlan, cost: Grid) -> list[Driver]:
    """Return how much of the variance of cost each quantity explains by itself, the most first.

    Over the draws in which every point has a plan; without draws every point has to. What is looked at step by step is decomposed
    exactly, as every combination is there (Sobol' 1993, Mathematical Modelling and Computational Experiments 1:407-414, from memory). What
    is drawn is estimated from the draws themselves, grouped by its value, with the part taken off that chance alone explains (Plischke, Borgonovo and Smith 2013, European
    Journal of Operational Research 226:536-550; Kelley 1935, PNAS 21:554-559; both from memory). Empty: cost is the same everywhere, or
    too little is known.
    """
    by_axis = cost.reshape(*map(len, plan.choices.values()), *map(len, plan.grid.values()), plan.draws)
    kept: NDArray[np.bool_] = np.ones(plan.draws, dtype=bool)
    if plan.drawn:
        # A draw counts with all of its steps and choices or not at all, or its mean would be of other ones.
        kept = np.logical_not(np.isnan(by_axis).any(axis=tuple(range(by_axis.ndim - 1))))
        by_axis = by_axis[..., kept]
    if (plan.drawn and kept.sum() < FEWEST_FOR_DRIVERS) or np.isnan(by_axis).any():
        return []
    total = float(by_axis.var())
    if total <= (1e-9 * abs(float(by_axis.mean()))) ** 2:
        return []
    found = []
    names: list[Choice | Unknown] = [*plan.choices, *plan.grid]
    for place, name in enumerate(names):
        others = tuple(axis for axis in range(by_axis.ndim) if axis != place)
        found.append(Driver(name, float(by_axis.mean(axis=others).var()) / total))
    by_draw = by_axis.mean(axis=tuple(range(by_axis.ndim - 1)))
    for unknown, values in plan.drawn.items():
        own = np.array([float(value) for value, there in zip(values, kept, strict=True) if there])
        found.append(Driver(unknown, explained(own, by_draw) * float(by_draw.var()) / total))
    return sorted(found, key=lambda driver: -driver.share)


def explained(values: Grid, results: Grid) -> float:
    """Return how much of the variance of results, 0 to 1, the values explain, estimated from pairs drawn at random.

    A straight line through each of some groups of neighbouring values: their means alone would miss what rises within a group, which is
    much where there are few.
    """
    order = np.argsort(values, kind="stable")
    count = max(2, min(50, len(results) // _PER_GROUP))
    around = float(((results - results.mean()) ** 2).sum())
    if not around:
        return 0.0
    within = sum((_unexplained(values[own], results[own]) for own in np.array_split(order, count)), 0.0)
    # Lines follow chance too: as much of it as the scatter around them lets expect is taken off.
    by_chance = (2 * count - 1) * within / (len(results) - 2 * count)
    return min(1.0, max(0.0, (around - within - by_chance) / around))


def _unexplained(values: Grid, results: Grid) -> float:
    """Return the sum of squares around the line of least squares."""
    x, y = values - values.mean(), results - results.mean()
    wide = float((x**2).sum())
    slope = float((x * y).sum()) / wide if wide else 0.0
    return float(((y - slope * x) ** 2).sum())


def amounts(values: Sequence[tuple[int, float]], plan: SweepPlan) -> Grid:
    """Return amounts by point number as (choices, futures); NaN where none is given."""
    flat = np.full(plan.size, np.nan)
    for number, value in values:
        flat[number] = value
    return flat.reshape(plan.choice_count, plan.future_count)
