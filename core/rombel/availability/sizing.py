"""Sizing to targets: the fewest replicas and the loosest ways that meet every journey's target at least cost.

Redundancy allocation with shared zones: a journey's unavailability is never a sum over its workloads, as a lost zone
takes them together. The search is told how much of a zone's loss a workload may let through, meets the targets by the
steps that remove most downtime for their cost, and takes back what is not needed; it tries every such allowance. The floor is
a bound on a relaxation that is a sum, by dynamic programming, and small cases are searched whole. Kuo and Zuo 2003, "Optimal
Reliability Modeling", on redundancy allocation (from memory).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np

from rombel.availability.counts import Floats
from rombel.availability.options import Candidate, Option, States
from rombel.model.demand import Size
from rombel.model.failure import FailureData
from rombel.model.journey import Among, Block, Dependency, Journey, Part, blocks_of

SMALL = 4_000
"""Combinations up to which every one is tried."""

ALLOWANCES = 16
"""Most allowances tried of what a zone's loss may let through."""

LIMITS = 32
"""Most of them told apart in the floor."""

NEAR = 1.02
"""How near the least that can be had a journey is brought whose target is out of reach."""

AHEAD = 4
"""Dearer options of a workload that a step looks at."""


@dataclass(frozen=True, slots=True)
class Unmet:
    """A target that no choice meets: the least unavailability that can be had."""

    journey: str
    allowed: float
    least: float


@dataclass(frozen=True, slots=True)
class Sizing:
    """The answer.

    Parameters
    ----------
    sizes
        By workload. Where a target cannot be met, its journey is brought within 2 % of the least it can be down.
    cost, floor
        An hour of replicas on top and of room kept back, at the prices given; no choice that meets the targets is cheaper
        than the floor.
    before
        The same for the candidates as they are asked for, surviving as they must at the least.
    exact
        Whether every choice was tried.
    unavailability
        By journey, dealt evenly over the zones.
    unmet
        Targets out of reach.

    """

    sizes: Mapping[str, Size]
    cost: float
    floor: float
    before: float
    exact: bool
    unavailability: Mapping[str, float]
    unmet: tuple[Unmet, ...] = ()


def size(
    candidates: Sequence[Candidate],
    journeys: Sequence[Journey],
    dependencies: Sequence[Dependency],
    zones: Sequence[str],
    data: FailureData,
) -> Sizing:
    """Return the least dear sizes that meet every target, or come as near as can be."""
    states = States(zones, data, dependencies, [entry.start_up_s for entry in candidates])
    known = {entry.name: entry for entry in candidates}
    # A workload that no journey needs is left as it is.
    asked = [name for name in known if any(name in blocks_of(journey.chain) for journey in journeys)]
    search = _Search(states, journeys, {name: states.options(known[name]) for name in asked})
    best = search.best_of_all()
    unmet = tuple(
        Unmet(journey.name, journey.allowed, unavailability)
        for journey in journeys
        # What even the best options cannot reach is out of reach.
        if (unavailability := states.unavailability(journey, search.rows(best))) > journey.allowed
    )
    # An aim out of reach is brought down to what is nearly the best, so that the rest can be minimised.
    nearest = {entry.journey: entry.least * NEAR for entry in unmet}
    search.journeys = [
        journey.allowing(nearest[journey.name]) if journey.name in nearest else journey for journey in journeys
    ]
    chosen, exact = search.run(best)
    cost = search.cost(chosen)
    # All tried: what was found is the optimum, and so its own floor.
    floor = cost if exact else min(cost, search.floor(chosen))
    return Sizing(
        {name: Size(option.extra, option.how) for name, option in chosen.items()},
        cost,
        floor,
        math.fsum(search.as_asked(known[name]) for name in asked),
        exact,
        {journey.name: states.unavailability(journey, search.rows(chosen)) for journey in journeys},
        unmet,
    )


Choice = dict[str, Option]


class _Search:
    """Chooses an option for each workload."""

    def __init__(self, states: States, journeys: Sequence[Journey], options: Mapping[str, list[Option]]) -> None:
        self.states, self.journeys, self.options = states, list(journeys), options

    def rows(self, chosen: Choice) -> dict[str, Floats]:
        return {name: option.unavailability for name, option in chosen.items()}

    def cost(self, chosen: Choice) -> float:
        return math.fsum(option.cost for option in chosen.values())

    def as_asked(self, candidate: Candidate) -> float:
        """Return the cost of a candidate as it is."""
        return self.states.cost(candidate, 0, candidate.at_least)

    def best_of_all(self) -> Choice:
        """Return for each workload the option that is down least."""
        return {name: self.states.least_unavailable(rows) for name, rows in self.options.items()}

    def is_met(self, chosen: Choice) -> bool:
        rows = self.rows(chosen)
        return all(self.states.unavailability(journey, rows) <= journey.allowed for journey in self.journeys)

    def run(self, best: Choice) -> tuple[Choice, bool]:
        """Return the cheapest choice found that meets the targets, and whether every one was tried."""
        combinations = math.prod(len(rows) for rows in self.options.values())
        # Few combinations are tried whole.
        if combinations <= SMALL:
            return self._whole(best), True
        found = best
        # Otherwise greedy steps, once for each allowance of what a zone's loss may let through: that is where greed alone goes wrong.
        for allowance in self._allowances():
            tried = self._within(allowance, best)
            if tried is not None and self.cost(tried) < self.cost(found):
                found = tried
        return found, False

    def _whole(self, best: Choice) -> Choice:
        """Return the cheapest of all choices; what cannot be cheaper any more is left aside."""
        found, cost = best, self.cost(best)
        names = sorted(self.options)
        # The cheapest completion of every prefix, to cut branches that cannot win.
        least = [math.fsum(self.options[name][0].cost for name in names[index:]) for index in range(len(names) + 1)]

        def down(index: int, chosen: Choice, spent: float) -> None:
            nonlocal found, cost
            if spent + least[index] >= cost - 1e-12:
                return
            if index == len(names):
                if self.is_met(chosen):
                    found, cost = dict(chosen), spent
                return
            for option in self.options[names[index]]:
                down(index + 1, {**chosen, names[index]: option}, spent + option.cost)

        down(0, {}, 0.0)
        return found

    def _through(self, option: Option) -> float:
        """Return what an option lets through of the states in which zones are down."""
        return float(
            self.states.weights @ option.unavailability
            - self.states.weights[self.states.untouched] * option.unavailability[self.states.untouched]
        )

    def _allowances(self) -> list[float]:
        values = {round(self._through(option), 15) for rows in self.options.values() for option in rows}
        return _spread(sorted(values), ALLOWANCES)

    def _within(self, allowance: float, best: Choice) -> Choice | None:
        """Return a choice that meets the targets with options that let no more through, if there is one."""
        chosen: Choice = {}
        # Options that let too much through are put aside before the steps begin.
        for name, rows in self.options.items():
            fitting = [option for option in rows if self._through(option) <= allowance * (1 + 1e-9)]
            chosen[name] = fitting[0] if fitting else best[name]
        while not self.is_met(chosen):
            step = self._step(chosen)
            if step is None:
                return None
            chosen[step[0]] = step[1]
        return self._back(chosen)

    def _step(self, chosen: Choice) -> tuple[str, Option] | None:
        """Return the option that takes most downtime from what misses its target, for its cost."""
        rows = self.rows(chosen)
        before = {journey.name: self.states.unavailability(journey, rows) for journey in self.journeys}
        # Options a little dearer than the chosen one; a few, as far jumps are made of steps.
        missing = [journey for journey in self.journeys if before[journey.name] > journey.allowed]
        names = sorted({n for journey in missing for n in blocks_of(journey.chain) if n in self.options})
        dearer = {name: [o for o in self.options[name] if o.cost > chosen[name].cost][:AHEAD] for name in names}
        steps = [(name, option) for name, options in dearer.items() for option in options]
        if not steps:
            return None
        changes = [(name, option.unavailability) for name, option in steps]
        gains = np.zeros(len(steps))
        for journey in missing:
            after = np.maximum(journey.allowed, self.states.unavailability_after(journey, rows, changes))
            # Gains beyond the target count for nothing.
            gains += before[journey.name] - after
        costs = np.array([option.cost - chosen[name].cost for name, option in steps])
        best = int(np.argmax(gains / costs))
        return steps[best] if gains[best] > 0 else None

    def _back(self, chosen: Choice) -> Choice:
        """Return the choice with everything taken back that the targets do not need, the dearest first."""
        for name in sorted(chosen, key=lambda name: (-chosen[name].cost, name)):
            cheaper = [option for option in self.options[name] if option.cost < chosen[name].cost]
            # The dearest first, as taking it back saves most.
            if not cheaper:
                continue
            rows, changes = self.rows(chosen), [(name, option.unavailability) for option in cheaper]
            fine = np.ones(len(cheaper), dtype=bool)
            for journey in self.journeys:
                fine &= self.states.unavailability_after(journey, rows, changes) <= journey.allowed
            if fine.any():
                chosen = {**chosen, name: cheaper[int(np.argmax(fine))]}
        return chosen

    def floor(self, found: Choice) -> float:
        """Return a lower bound on the cost of every choice that meets the targets, ``found`` being one.

        Every workload costs at least its cheapest option with which, all else perfect, its journeys meet their targets.
        What goes beyond is bounded journey by journey, its workloads in series alone, everything else perfect; a workload's
        cost beyond is divided among its journeys, evenly or to one of them, whichever bounds more.
        """
        series = {
            journey.name: [n for n in _in_series(journey.chain) if n in self.options] for journey in self.journeys
        }
        fitting = {name: [o for o in rows if self._may(name, o, series)] for name, rows in self.options.items()}
        base = {name: min((o.cost for o in rows), default=0.0) for name, rows in fitting.items()}
        sure = math.fsum(base.values())
        divided = [dict.fromkeys(series, 1.0), *({name: float(name == own) for name in series} for own in series)]
        return sure + max(self._beyond(weights, series, fitting, base, found) for weights in divided)

    def _may(self, name: str, option: Option, series: Mapping[str, list[str]]) -> bool:
        """Return whether all journeys that need a workload meet their targets with an option, all other workloads perfect."""
        perfect = dict.fromkeys(self.options, np.zeros(len(self.states.states))) | {name: option.unavailability}
        return all(self.states.unavailability(j, perfect) <= j.allowed for j in self.journeys if name in series[j.name])

    def _beyond(
        self,
        weights: Mapping[str, float],
        series: Mapping[str, list[str]],
        fitting: Mapping[str, list[Option]],
        base: Mapping[str, float],
        found: Choice,
    ) -> float:
        """Return what the journeys together cost at least beyond the base, a workload's cost divided by weights."""
        bound = 0.0
        for journey in self.journeys:
            names = series[journey.name]
            parts = {
                n: weights[journey.name] / max(1e-9, sum(weights[k] for k in series if n in series[k])) for n in names
            }
            rows = {n: [(max(0.0, o.cost - base[n]) * parts[n], o) for o in fitting[n]] for n in names}
            spent = math.fsum(max(0.0, found[n].cost - base[n]) * parts[n] for n in names)
            bound += self._least(journey, rows, spent)
        return bound

    def _least(self, journey: Journey, rows: Mapping[str, list[tuple[float, Option]]], spent: float) -> float:
        """Return the least cost of a journey's own relaxation, ``spent`` being that of one choice.

        Where no zone is down the logarithms of being up add up; of the other states at least what the worst workload lets
        through is lost.
        """
        states, here = self.states, self.states.untouched
        if not rows or spent <= 0:
            return 0.0
        others = np.ones(len(states.states))
        for name in _in_series(journey.chain):
            if name in states.dependencies:
                others = others * (1 - states.dependency(name))
        budget = (journey.allowed - states.without_region(journey)) / (1 - states.whole) - float(
            states.weights @ (1 - others)
        )
        lost = states.weights * others
        lost[here] = 0.0
        through = {name: [float(lost @ option.unavailability) for _, option in row] for name, row in rows.items()}
        best = spent
        limits = _spread(sorted({value for row in through.values() for value in row}), LIMITS)
        for low, high in zip(limits, [*limits[1:], limits[-1]], strict=True):
            share = (budget - low) / float(states.weights[here] * others[here])
            if share <= 0:
                break
            choice = [
                [
                    (cost, _load(option, here))
                    for (cost, option), value in zip(row, through[name], strict=True)
                    if value <= high
                ]
                for name, row in rows.items()
            ]
            if all(choice):
                best = min(best, least_cost(choice, -math.log1p(-min(share, 1 - 1e-15)), spent))
        return best


def _load(option: Option, here: int) -> float:
    return -math.log1p(-min(float(option.unavailability[here]), 1 - 1e-15))


def _spread(values: Sequence[float], most: int) -> list[float]:
    """Return at most so many of sorted values, the first and the last among them."""
    places = {round(index * (len(values) - 1) / (most - 1)) for index in range(most)}
    return [values[index] for index in sorted(places)]


def least_cost(options: Sequence[Sequence[tuple[float, float]]], cap: float, known: float, steps: int = 600) -> float:
    """Return a lower bound on choosing one (cost, load) of each row with all loads together at most ``cap``.

    By dynamic programming over costs rounded down to a share of the ``known`` cost of one such choice; infinite where
    nothing cheaper than that fits. In time O(all options x steps).
    """
    unit = known / steps if known > 0 else 1.0
    loads = np.full(steps + 1, math.inf)
    loads[0] = 0.0
    for row in options:
        after = np.full(steps + 1, math.inf)
        for cost, load in row:
            step = int(cost / unit)
            if step <= steps:
                np.minimum(after[step:], loads[: steps + 1 - step] + load, out=after[step:])
        loads = after
    fitting = np.flatnonzero(loads <= cap * (1 + 1e-12))
    return float(fitting[0]) * unit if len(fitting) else math.inf


def _in_series(part: Part) -> list[str]:
    """Return the blocks without any of which the whole is down."""
    if isinstance(part, Block):
        return [part.name]
    return (
        [name for inner in part.parts for name in _in_series(inner)]
        if isinstance(part, Among) and part.is_series
        else []
    )
