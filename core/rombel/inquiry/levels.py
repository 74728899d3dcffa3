"""One design of pools for every demand level: nodes at each level, and the limits between which a pool may grow and shrink."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction

from rombel.fit import FitObserver, FitParams, Progress, SilentObserver, fit
from rombel.model.demand import Level
from rombel.model.fit_problem import FitProblem, Purchase
from rombel.model.fit_solution import FitSolution, NodeBatch

UPGRADE_SURGE = 1
"""Nodes that an upgrade adds to a pool in a zone before it takes one away."""

WORDS = {Level.TROUGH: "trough", Level.USUAL: "usual demand", Level.PEAK: "peak", Level.GROWN: "the grown peak"}
"""How a level is called in a sentence."""

Pool = tuple[str, Purchase]


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
    """The fits of all levels on one set of pools.

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
    seed: int = 0,
    params: FitParams | None = None,
    observer: FitObserver | None = None,
) -> Design:
    """Return the cheapest design found for the month as a whole.

    Every level is fitted alone. Where the pools are limited and the levels together need more of them, the pools of each
    level's own fit are tried for all levels, and those with the cheapest month are kept.

    Parameters
    ----------
    problems
        The same offers and promises with each level's replicas.
    shares
        Of a month's hours at each level; a level without hours has to find room and costs nothing yet.
    seed, params, observer
        Of every fit; where the observer stops, each fit still to come ends with its best so far.

    """
    work = _Work(problems, seed, params, observer or SilentObserver())
    alone = {level: work.fitted(level, None) for level in problems}
    for level, found in alone.items():
        if not found.found:
            reasons = tuple(f"At {WORDS[level]}: {reason}" for reason in found.reasons)
            return Design({}, shares, Decimal(0), Decimal(0), reasons=reasons)
    floor = _mean(shares, lambda level: alone[level].floor_per_hour)
    most = min((p.limits.most_pools for p in problems.values() if p.limits.most_pools is not None), default=None)
    best: Mapping[Level, FitSolution] | None = alone
    if most is not None and len(frozenset().union(*(_pools(found) for found in alone.values()))) > most:
        best = _shared(work, alone, shares)
    if best is None:
        reason = f"No {most} pools that serve one level serve all of them."
        return Design({}, shares, Decimal(0), floor, reasons=(reason,))
    cost = _mean(shares, lambda level: best[level].cost_per_hour)
    return Design(best, shares, cost, min(floor, cost), tuple(_limits(problems, best)))


def _shared(
    work: _Work, alone: Mapping[Level, FitSolution], shares: Mapping[Level, Fraction]
) -> Mapping[Level, FitSolution] | None:
    """Return the fits on the one of the levels' own sets of pools that makes the cheapest month; None: none serves."""
    tried: dict[frozenset[Pool], dict[Level, FitSolution]] = {}
    for own in alone.values():
        pools = _pools(own)
        if pools not in tried:
            tried[pools] = {
                level: found if _pools(found) <= pools else work.fitted(level, pools) for level, found in alone.items()
            }
    whole = [fits for fits in tried.values() if all(f.found for f in fits.values())]
    return min(whole, key=lambda fits: _mean(shares, lambda level: fits[level].cost_per_hour), default=None)


def _mean(shares: Mapping[Level, Fraction], amount: Callable[[Level], Decimal]) -> Decimal:
    """Return the mean over a month's hours."""
    total = sum((Fraction(amount(level)) * share for level, share in shares.items() if share), Fraction(0))
    return Decimal(total.numerator) / total.denominator


def _pools(solution: FitSolution) -> frozenset[Pool]:
    return frozenset((batch.instance_type, batch.purchase) for batch in solution.nodes)


class _Work:
    """Fits levels, each problem once for each set of pools, and tells how far it is."""

    def __init__(
        self, problems: Mapping[Level, FitProblem], seed: int, params: FitParams | None, observer: FitObserver
    ) -> None:
        self._problems, self._seed, self._params, self._observer = problems, seed, params, observer
        self._known: list[tuple[FitProblem, FitSolution]] = []
        self._level, self._begun = Level.TROUGH, 0

    def fitted(self, level: Level, pools: frozenset[Pool] | None) -> FitSolution:
        """Return the fit of a level on these pools; None: on any."""
        problem = self._problems[level]
        problem = problem if pools is None else _only(problem, pools)
        for known, solution in self._known:
            if known == problem:
                return solution
        self._level, self._begun = level, self._begun + 1
        found = fit(problem, seed=self._seed, params=self._params, observer=self)
        self._known.append((problem, found))
        return found

    def on_progress(self, progress: Progress) -> bool:
        """Return whether to stop; every fit that is begun then ends with its best so far."""
        share = min(1.0, (self._begun - 1 + progress.share) / max(self._begun, len(self._problems)))
        return self._observer.on_progress(replace(progress, phase=WORDS[self._level], share=share))


def _only(problem: FitProblem, pools: frozenset[Pool]) -> FitProblem:
    """Return the problem where only these pools are for sale."""
    types = tuple(
        replace(entry, offers=tuple(offer for offer in entry.offers if (entry.name, offer.purchase) in pools))
        for entry in problem.instance_types
    )
    return replace(problem, instance_types=tuple(entry for entry in types if entry.offers))


def _limits(problems: Mapping[Level, FitProblem], fits: Mapping[Level, FitSolution]) -> Iterator[PoolLimit]:
    """Yield the limits of every pool and zone, by type and zone.

    The least is what runs at the level that needs least of it. The most is what runs at the level that needs most, with what
    is bought there in the worst loss, and one node for upgrades, inside the quota of the offer.
    """
    counts = {level: _counted(found.nodes) for level, found in fits.items()}
    bought = {level: _bought(found) for level, found in fits.items()}
    quotas = {
        (entry.name, offer.purchase, offer.zone): offer.most_nodes
        for problem in problems.values()
        for entry in problem.instance_types
        for offer in entry.offers
    }
    for key in sorted({key for level in fits for key in counts[level] | bought[level]}):
        nodes = {level: counts[level][key] for level in fits}
        low = min(fits, key=lambda level: nodes[level])
        high = max(fits, key=lambda level: nodes[level] + bought[level][key])
        most = nodes[high] + bought[high][key] + UPGRADE_SURGE
        words = f"{nodes[high]} at {WORDS[high]}"
        words += f", {bought[high][key]} in the worst loss" if bought[high][key] else ""
        words += f", {UPGRADE_SURGE} for upgrades"
        quota = quotas[key]
        if quota is not None and quota < most:
            most, words = quota, f"{words}, cut to the quota of {quota}"
        name, purchase, zone = key
        yield PoolLimit(name, purchase, zone, nodes, nodes[low], most, f"{nodes[low]} at {WORDS[low]}", words)


def _counted(batches: tuple[NodeBatch, ...]) -> Counter[tuple[str, Purchase, str]]:
    counts: Counter[tuple[str, Purchase, str]] = Counter()
    for batch in batches:
        counts[batch.instance_type, batch.purchase, batch.zone] += batch.count
    return counts


def _bought(solution: FitSolution) -> Counter[tuple[str, Purchase, str]]:
    """Return the most new nodes of each pool and zone over all losses."""
    most: Counter[tuple[str, Purchase, str]] = Counter()
    for batches in (solution.growing or {}).values():
        most |= _counted(batches)
    return most
