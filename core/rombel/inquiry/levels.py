"""One design of pools for every demand level: nodes at each level, and the limits between which a pool may grow and shrink."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction

from rombel.fit import (
    FitObserver,
    FitParams,
    Progress,
    QuickFloor,
    SearchParams,
    SilentObserver,
    check,
    fit,
    grown,
    quick_floor,
)
from rombel.inquiry.nesting import are_nested, around, within
from rombel.model.demand import Level
from rombel.model.fit_problem import FitProblem, Purchase
from rombel.model.fit_solution import FitSolution, FitStatus, counted

UPGRADE_SURGE = 1
"""Nodes that an upgrade adds to a pool in a zone before it takes one away."""

PARAMS = FitParams(search=SearchParams(work=12_000_000))
"""Of each fit: all but one start from another level's answer."""

FEW = 1_000
"""Replicas times offers up to which every level is fitted freely too, for the floor."""

WORDS = {Level.TROUGH: "trough", Level.USUAL: "usual demand", Level.PEAK: "peak", Level.GROWN: "the grown peak"}
"""How a level is called in a sentence."""


@dataclass(frozen=True, slots=True)
class PoolLimit:
    """Between how many nodes a pool may run in a zone, and which condition set either end."""

    instance_type: str
    purchase: Purchase
    zone: str
    nodes: Mapping[Level, int]
    least: int
    most: int
    least_because: str
    most_because: str


@dataclass(frozen=True, slots=True)
class Design:
    """The plans of all levels, each within that of the next busier one.

    Parameters
    ----------
    fits
        By level; empty when ``reasons`` says which level finds no fit.
    shares
        Of a month's hours at each level.
    cost_per_hour, floor_per_hour
        Mean over the month's hours; no design is cheaper than the floor, as none is cheaper at any level.
    limits
        Of every pool in every zone where it runs at some level.
    reasons
        Why there is no design.

    """

    fits: Mapping[Level, FitSolution]
    shares: Mapping[Level, Fraction]
    cost_per_hour: Decimal
    floor_per_hour: Decimal
    limits: tuple[PoolLimit, ...] = ()
    reasons: tuple[str, ...] = ()


def design(
    problems: Mapping[Level, FitProblem],
    shares: Mapping[Level, Fraction],
    *,
    present: tuple[Level, FitSolution] | None = None,
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
) -> Design:
    """Return the cheapest design found for the month as a whole.

    One level is fitted freely, the one that costs most over the month; the quieter ones are then fitted within its nodes, the busier
    ones around them. Where that leads to no plan the other levels with hours are tried; in small problems all are, and the
    cheapest month is kept.

    Parameters
    ----------
    problems
        The same offers and promises with each level's replicas.
    shares
        Of a month's hours at each level; a level without hours has to find room and costs nothing yet.
    present
        A level with the answer that is known for it, which is its free fit then.
    seed, params, observer
        Of every fit; where the observer stops, each fit still to come ends with its best so far.

    """
    floors = {level: quick_floor(problem) for level, problem in problems.items()}
    for level, found in floors.items():
        if found.reasons:
            return _none(shares, (f"At {WORDS[level]}: {reason}" for reason in found.reasons))
    # The order by floors is the order by need; ties keep the order of the levels.
    order = sorted(problems, key=lambda level: (floors[level].floor_per_hour, list(Level).index(level)))
    work = _Work(problems, order, present, seed, params, observer or SilentObserver())
    # A small problem's own fit proves more than its quick floor, and costs next to nothing.
    small = [level for level, problem in problems.items() if _is_small(problem)]
    # Their own fits are kept: they are starts, floors and sometimes a part of the design.
    for level in small:
        work.free(level)
    designs: list[dict[Level, FitSolution]] = []
    for anchor in _anchors(shares, floors, order):
        # Where fits take their time one design is enough; small ones are tried around every level and the cheapest kept.
        if designs and len(small) < len(problems):
            break
        free = work.free(anchor)
        if not free.found:
            return _none(shares, (f"At {WORDS[anchor]}: {reason}" for reason in free.reasons))
        fits = work.chained(anchor, free)
        if fits is not None:
            designs.append(fits)
    known = {level: found for level, found in work.known.items() if found.found}
    least = floors | {level: QuickFloor(f.floor_per_hour, certificate=f.certificate) for level, f in known.items()}
    # No design is cheaper at any level than that level alone, so the mean of the levels' floors holds for all designs.
    floor = _mean(shares, lambda level: least[level].floor_per_hour)
    # The floor stands even where no design was found.
    if not designs:
        return replace(_none(shares, work.failures), floor_per_hour=floor)
    best = min(designs, key=lambda fits: _mean(shares, lambda level: fits[level].cost_per_hour))
    fits = {level: _proved(best[level], least[level]) for level in Level if level in best}
    cost = _mean(shares, lambda level: fits[level].cost_per_hour)
    return Design(fits, shares, cost, min(floor, cost), tuple(_limits(problems, fits)))


def _is_small(problem: FitProblem) -> bool:
    """Return whether a fit of the problem takes no time to speak of: its floor is often the optimum itself."""
    offers = sum(len(entry.offers) for entry in problem.instance_types)
    return offers * sum(entry.replicas for entry in problem.workloads) <= FEW


def _none(shares: Mapping[Level, Fraction], reasons: Iterable[str]) -> Design:
    return Design({}, shares, Decimal(0), Decimal(0), reasons=tuple(reasons))


def _anchors(
    shares: Mapping[Level, Fraction], floors: Mapping[Level, QuickFloor], order: Sequence[Level]
) -> list[Level]:
    """Return the levels to fit freely, each of which may lead to a design: the one that costs most over the month first."""
    # Levels without hours cost nothing over the month, and cannot be the one that rules its cost.
    paid = [level for level in order if shares[level]] or list(order[-1:])
    return sorted(paid, key=lambda level: -shares[level] * Fraction(floors[level].floor_per_hour))


def _proved(solution: FitSolution, least: QuickFloor) -> FitSolution:
    """Return a level's plan with the floor of its own problem: that of the narrower one it was found in says nothing of others."""
    floor = min(least.floor_per_hour, solution.cost_per_hour)
    # Stopped stays said, even if the floor shows that nothing was lost by it.
    status = FitStatus.STOPPED if solution.status is FitStatus.STOPPED else FitStatus.FEASIBLE
    status = FitStatus.OPTIMAL if floor == solution.cost_per_hour else status
    return replace(solution, status=status, floor_per_hour=floor, certificate=least.certificate)


def _mean(shares: Mapping[Level, Fraction], amount: Callable[[Level], Decimal]) -> Decimal:
    """Return the mean over a month's hours."""
    total = sum((Fraction(amount(level)) * share for level, share in shares.items() if share), Fraction(0))
    return Decimal(total.numerator) / total.denominator


class _Work:
    """Fits levels, and tells how far it is."""

    def __init__(
        self,
        problems: Mapping[Level, FitProblem],
        order: Sequence[Level],
        present: tuple[Level, FitSolution] | None,
        seed: int,
        params: FitParams | None,
        observer: FitObserver,
    ) -> None:
        self._problems, self._order, self._present = problems, order, present
        self._seed, self._params, self._observer = seed, params, observer
        self._tried: list[tuple[FitProblem, FitSolution]] = []
        self._level, self._begun = Level.TROUGH, 0
        self.known: dict[Level, FitSolution] = {}
        self.failures: list[str] = []

    def free(self, level: Level) -> FitSolution:
        """Return the fit of a level that nothing but its own problem rules."""
        # The fit that is on the screen already is taken for its level.
        known = self._present
        if known is not None and known[0] is level and known[1].nodes:
            self.known[level] = known[1]
        else:
            self.known[level] = self._fitted(level, self._problems[level], None)
        return self.known[level]

    def chained(self, anchor: Level, free: FitSolution) -> dict[Level, FitSolution] | None:
        """Return the plans of all levels around the free one of the anchor; None, and why, where one finds no plan so."""
        index, fits = self._order.index(anchor), {anchor: free}
        steps: list[tuple[Level, Callable[[FitProblem, FitSolution], FitProblem]]]
        steps = [(level, within) for level in reversed(self._order[:index])]
        steps += [(level, around) for level in self._order[index + 1 :]]
        for level, narrowed in steps:
            # From the anchor outwards: each level lies within the next busier one, or around the next quieter one, that has a plan.
            number = self._order.index(level)
            beside = self._order[number + 1] if narrowed is within else self._order[number - 1]
            problem = self._problems[level]
            found = self._fitted(level, narrowed(problem, fits[beside]), fits[beside])
            # The narrowed problem promised nothing that grows: what a loss needs then is asked of the level's own problem.
            if found.found:
                found = grown(problem, found, seed=self._seed, params=self._params, observer=self)
            pair = (found, fits[beside]) if narrowed is within else (fits[beside], found)
            bound = [entry.name for entry in problem.workloads if entry.bound_to_zone]
            # Checked by the level's own problem: a plan that nests may still break a rule which the narrowed problem had dropped.
            if not (found.found and are_nested(*pair, bound) and check(problem, found).holds):
                words = "within" if narrowed is within else "around"
                self.failures.append(f"No plan for {WORDS[level]} was found {words} the nodes of {WORDS[beside]}.")
                return None
            fits[level] = found
        return fits

    def _fitted(self, level: Level, problem: FitProblem, start: FitSolution | None) -> FitSolution:
        # Two levels with the same replicas, or an anchor tried twice, ask for the same fit.
        for tried, solution in self._tried:
            if tried == problem:
                return solution
        self._level, self._begun = level, self._begun + 1
        found = fit(problem, seed=self._seed, params=self._params or PARAMS, observer=self, before=start)
        self._tried.append((problem, found))
        return found

    def on_progress(self, progress: Progress) -> bool:
        """Return whether to stop; every fit that is begun then ends with its best so far."""
        # Fits that turn out not to be needed make the share jump ahead, never back.
        share = min(1.0, (self._begun - 1 + progress.share) / max(self._begun, len(self._problems)))
        return self._observer.on_progress(replace(progress, phase=WORDS[self._level], share=share))


def _limits(problems: Mapping[Level, FitProblem], fits: Mapping[Level, FitSolution]) -> Iterator[PoolLimit]:
    """Yield the limits of every pool and zone, by type and zone.

    The least is what runs at the level that needs least of it. The most is what runs at the level that needs most, with what
    is bought there in the worst loss, and one node for upgrades, inside the quota of the offer.
    """
    counts = {level: counted(found.nodes) for level, found in fits.items()}
    bought = {level: _bought(found) for level, found in fits.items()}
    quotas = {
        (entry.name, offer.purchase, offer.zone): offer.most_nodes
        for problem in problems.values()
        for entry in problem.instance_types
        for offer in entry.offers
    }
    # Every pool that runs, or is bought in a loss, at any level.
    for key in sorted({key for level in fits for key in counts[level] | bought[level]}):
        nodes = {level: counts[level][key] for level in fits}
        low = min(fits, key=lambda level: nodes[level])
        # A level with fewer nodes may buy more in a loss and so need the higher limit.
        high = max(fits, key=lambda level: nodes[level] + bought[level][key])
        most = nodes[high] + bought[high][key] + UPGRADE_SURGE
        words = f"{nodes[high]} at {WORDS[high]}"
        words += f", {bought[high][key]} in the worst loss" if bought[high][key] else ""
        words += f", {UPGRADE_SURGE} for upgrades"
        quota = quotas[key]
        # A limit above the quota would promise nodes that the provider refuses.
        if quota is not None and quota < most:
            most, words = quota, f"{words}, cut to the quota of {quota}"
        name, purchase, zone = key
        yield PoolLimit(name, purchase, zone, nodes, nodes[low], most, f"{nodes[low]} at {WORDS[low]}", words)


def _bought(solution: FitSolution) -> Counter[tuple[str, Purchase, str]]:
    """Return the most new nodes of each pool and zone over all losses."""
    most: Counter[tuple[str, Purchase, str]] = Counter()
    # Losses do not come together, so the larger of two counts is enough.
    for batches in (solution.growing or {}).values():
        most |= counted(batches)
    return most
