"""Limits that would have sufficed: the cheapest found under which a promise holds, over several seeds.

What is searched are the least nodes and the room kept back of every pool in every zone; the most follow from what was needed. Fewer least nodes
cost less and let replicas wait longer, mostly: that order is what the search goes by and not what it claims. What is told are rehearsals that
were played; that no cheaper limits hold is not proved.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from decimal import Decimal
from math import comb

from rombel.model.fit_problem import FitProblem, OfferKey
from rombel.model.fit_solution import FitSolution
from rombel.model.rehearsal import PoolRange, Rehearsal
from rombel.simulate.cluster import counted
from rombel.simulate.rehearsal.outcome import RehearsalOutcome
from rombel.simulate.rehearsal.playing import rehearse

Ranges = Mapping[OfferKey, PoolRange]

SHARES = (0, 25, 50, 75, 100)
"""Percent of the way from the fewest to the most nodes at which all pools are tried together, the fewest first."""
KEPT = (0, 1, 2)
"""Nodes' room kept back in every pool and zone that are tried with each of them."""
SOUGHT_WITH = 2
"""Seeds that the search itself plays; what it finds is then played with all of them."""


@dataclass(frozen=True, slots=True)
class Promise:
    """At most so many percent of the demand wait longer than the rehearsal's late time (or are lost)."""

    most_late_percent: float

    def holds(self, found: RehearsalOutcome) -> bool:
        """Return whether a rehearsal kept it."""
        return 100 * found.share("late") <= self.most_late_percent + 1e-9


@dataclass(frozen=True, slots=True)
class Planned:
    """What limits have to keep whatever the rehearsal shows: fewest nodes for the trough with its promises, and nodes for the worst promised loss."""

    least: int = 0
    most: int = 0
    most_because: str = "the plan"


@dataclass(frozen=True, slots=True)
class LimitFound:
    """A limit of a pool in a zone, and which condition set each end."""

    offer: OfferKey
    range: PoolRange
    least_because: str
    most_because: str


@dataclass(frozen=True, slots=True)
class Trial:
    """Limits that were tried: what they cost in the time that is played, the share of demand that was late, and a word on what they are."""

    cost: Decimal
    late_share: float
    waited_min: float
    words: str


@dataclass(frozen=True, slots=True)
class Sufficing:
    """What the search found.

    Parameters
    ----------
    limits
        Of every pool in every zone; empty where no limits that were tried keep the promise.
    held, runs
        In how many of so many rehearsals, each of its own seed, the promise held under them.
    sure_percent
        With 95 percent confidence at least so many percent of all rehearsals keep it (Clopper and Pearson 1934, exact, one-sided).
    cost, before
        What the time that is played costs under them, and under the limits before.
    trials
        Those that no other trial beats in both cost and late share, the cheapest first.
    reason
        Why there are no limits; empty where there are.

    """

    limits: tuple[LimitFound, ...]
    held: int
    runs: int
    sure_percent: float
    cost: Decimal
    before: Decimal
    trials: tuple[Trial, ...]
    reason: str = ""


def sure_percent(held: int, runs: int) -> float:
    """Return the lower end of the exact one-sided 95 percent interval of a share that was seen ``held`` times in ``runs``."""
    low, high = 0.0, 1.0
    # The share at which so many or more would be seen in one of twenty: the tail grows with it, so halving finds it.
    for _ in range(60):
        middle = (low + high) / 2
        tail = sum(comb(runs, n) * middle**n * (1 - middle) ** (runs - n) for n in range(held, runs + 1))
        low, high = (middle, high) if tail < 0.05 else (low, middle)
    return 100 * low if held else 0.0


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
        By offer what limits keep in any case, and how many nodes there may be at most, whatever is asked.
    runs
        Seeds with which what was found is played in the end, from 0 on.
    on_progress
        Is told phase and share; returns whether to stop. Then the best so far is told.

    """
    search = _Search(problem, solution, rehearsal, promise, planned, ceilings, on_progress)
    before = search.play(rehearsal.ranges, 0).total
    roomy = search.roomy()
    if not search.holds(roomy):
        late = search.play(roomy, 0).share("late")
        reason = (
            f"With as many nodes as may be from the start {100 * late:.2f} % of the demand are late all the same: start-up times, the most "
            "replicas of workloads or their scaling rules are what holds it up, and not limits of pools."
        )
        return Sufficing((), 0, 1, 0.0, Decimal(0), before, search.undominated(), reason)
    found = search.lowered(search.cheapest_together())
    return search.told(found, before, runs)


class _Search:
    def __init__(
        self,
        problem: FitProblem,
        solution: FitSolution,
        rehearsal: Rehearsal,
        promise: Promise,
        planned: Mapping[OfferKey, Planned],
        ceilings: Mapping[OfferKey, int],
        on_progress: Callable[[str, float], bool] | None,
    ) -> None:
        # Hundreds are played: an hour is fine enough to say when, and keeps them small.
        coarse = replace(rehearsal.params, sample_s=max(rehearsal.params.sample_s, 3600))
        self.problem, self.solution, self.promise = problem, solution, promise
        self.rehearsal = replace(rehearsal, params=coarse)
        self.planned, self.ceilings, self._tell = planned, ceilings, on_progress
        self.stopped = False
        self._known: dict[tuple[tuple[tuple[OfferKey, PoolRange], ...], int], RehearsalOutcome] = {}
        self._trials: dict[tuple[tuple[OfferKey, PoolRange], ...], Trial] = {}
        self._keys = sorted(set(rehearsal.ranges) | set(ceilings))

    def tell(self, phase: str, share: float) -> None:
        """Tell progress, and remember a wish to stop."""
        self.stopped = self.stopped or (self._tell is not None and self._tell(phase, share))

    def play(self, ranges: Ranges, seed: int) -> RehearsalOutcome:
        """Return what limits show with a seed; what was played once is known."""
        key = tuple(sorted(ranges.items()))
        if (key, seed) not in self._known:
            found = rehearse(self.problem, self.solution, replace(self.rehearsal, ranges=ranges), seed=seed)
            self._known[key, seed] = found
            if seed == 0:
                self._trials[key] = Trial(found.total, found.share("late"), found.waited_min, _words(ranges))
        return self._known[key, seed]

    def holds(self, ranges: Ranges, runs: int = SOUGHT_WITH) -> bool:
        """Return whether the promise holds with every one of the first seeds."""
        return all(self.promise.holds(self.play(ranges, seed)) for seed in range(runs))

    def cost(self, ranges: Ranges) -> Decimal:
        """Return what limits cost on average over the seeds of the search."""
        return sum((self.play(ranges, seed).total for seed in range(SOUGHT_WITH)), Decimal(0)) / SOUGHT_WITH

    def floor(self, key: OfferKey) -> int:
        """Return the fewest nodes that a pool keeps in a zone whatever is shown."""
        return min(self.planned.get(key, Planned()).least, self.ceilings.get(key, 0))

    def roomy(self) -> Ranges:
        """Return limits with all nodes there from the start."""
        return {key: PoolRange(self.ceilings.get(key, 0), self.ceilings.get(key, 0)) for key in self._keys}

    def cheapest_together(self) -> Ranges:
        """Return the cheapest of the limits that move all pools together and keep the promise."""
        # As many as demand calls for when nothing holds it up, so that nobody is asked to keep more.
        free = self.play({key: PoolRange(self.floor(key), self.ceilings.get(key, 0)) for key in self._keys}, 0)
        seen = {pool.offer: pool.most_seen for pool in free.pools}
        best: Ranges | None = None
        steps = [(kept, share) for kept in KEPT for share in SHARES]
        for number, (kept, share) in enumerate(steps):
            self.tell("all pools together", 0.05 + 0.35 * number / len(steps))
            if self.stopped and best is not None:
                break
            ranges = {key: self._between(key, seen.get(key, 0), share, kept) for key in self._keys}
            if best is not None and self.play(ranges, 0).total >= self.cost(best):
                continue
            if self.holds(ranges):
                best = ranges
        return self.roomy() if best is None else best

    def _between(self, key: OfferKey, seen: int, share: int, kept: int) -> PoolRange:
        low, high, most = self.floor(key), max(seen, self.floor(key)), self.ceilings.get(key, 0)
        # Rounded up: a quarter of the way to one node is one node.
        return PoolRange(low - (-(high - low) * share // 100), most, min(kept, most) if seen else 0)

    def lowered(self, ranges: Ranges) -> Ranges:
        """Return limits of which no single least count, and no room kept back, can be lowered by one with the promise kept, as far as was tried."""
        found = dict(ranges)
        order = sorted(self._keys, key=lambda key: (-self._price(key), key))
        for number, key in enumerate(order):
            self.tell("pool by pool", 0.4 + 0.4 * number / len(order))
            while not self.stopped and (fewer := self._fewer(found, key)) is not None:
                found = fewer
        return found

    def _fewer(self, ranges: Mapping[OfferKey, PoolRange], key: OfferKey) -> dict[OfferKey, PoolRange] | None:
        """Return the limits with one node less of an offer, or less of its room kept back, that cost less and hold; None: there are none."""
        own, now = ranges[key], self.cost(ranges)
        tries = [replace(own, kept_back=own.kept_back - 1)] if own.kept_back else []
        tries += [replace(own, least=own.least - 1)] if own.least > self.floor(key) else []
        for entry in tries:
            fewer = {**ranges, key: entry}
            if self.play(fewer, 0).total < now and self.holds(fewer):
                return fewer
        return None

    def _price(self, key: OfferKey) -> Decimal:
        prices = (o.price_per_hour for t in self.problem.instance_types for o in t.offers if t.key(o) == key)
        return next(prices, Decimal(0))

    def told(self, ranges: Ranges, before: Decimal, runs: int) -> Sufficing:
        """Return the limits with what set each end, played with every seed."""
        outcomes = []
        for seed in range(runs):
            self.tell(f"run {seed + 1} of {runs}", 0.8 + 0.2 * seed / runs)
            outcomes.append(self.play(ranges, seed))
            if self.stopped:
                break
        held = sum(self.promise.holds(found) for found in outcomes)
        seen: dict[OfferKey, tuple[int, int]] = {}
        for seed, found in enumerate(outcomes):
            for pool in found.pools:
                if pool.most_seen > seen.get(pool.offer, (0, 0))[0]:
                    seen[pool.offer] = pool.most_seen, seed
        limits = tuple(self._limit(key, ranges, seen.get(key, (0, 0)), len(outcomes)) for key in self._keys)
        cost = sum((found.total for found in outcomes), Decimal(0)) / len(outcomes)
        return Sufficing(
            tuple(entry for entry in limits if entry.range.most),
            held,
            len(outcomes),
            sure_percent(held, len(outcomes)),
            cost.quantize(Decimal("0.01")),
            before.quantize(Decimal("0.01")),
            self.undominated(),
        )

    def _limit(self, key: OfferKey, ranges: Ranges, seen: tuple[int, int], runs: int) -> LimitFound:
        own, plan = ranges[key], self.planned.get(key, Planned())
        most = min(max(seen[0], plan.most, own.least), self.ceilings.get(key, own.most))
        because = f"the most seen in {counted(runs, 'run')}" if seen[0] >= plan.most else plan.most_because
        if seen[0] >= self.ceilings.get(key, own.most) > 0:
            because = "the most that quotas and stock allow"
        return LimitFound(
            key, PoolRange(own.least, most, min(own.kept_back, most)), self._why_least(key, ranges), because
        )

    def _why_least(self, key: OfferKey, ranges: Ranges) -> str:
        own = ranges[key]
        if own.least <= self.floor(key):
            return "the trough with its promises" if own.least else "nothing needs it all the time"
        fewer = self.play({**ranges, key: replace(own, least=own.least - 1)}, 0)
        if self.promise.holds(fewer):
            return "one less would cost no less"
        worst = max(range(len(fewer.lost)), key=lambda s: fewer.lost[s] + fewer.waiting[s], default=0)
        when = datetime.fromtimestamp(fewer.start_s + worst * fewer.sample_s, UTC)
        return f"with one less {100 * fewer.share('late'):.2f} % is late, most of it on {when.day} {when:%B} at {when:%H:%M}"

    def undominated(self) -> tuple[Trial, ...]:
        """Return the trials that no other beats in both, the cheapest first."""
        kept: list[Trial] = []
        for trial in sorted(self._trials.values(), key=lambda t: (t.cost, t.late_share)):
            if not kept or trial.late_share < kept[-1].late_share:
                kept.append(trial)
        return tuple(kept)


def _words(ranges: Ranges) -> str:
    least = sum(pool.least for pool in ranges.values())
    kept = sum(pool.kept_back for pool in ranges.values())
    return f"at least {counted(least, 'node')}" + (f", room of {counted(kept, 'node')} kept back" if kept else "")


def ceilings_of(problem: FitProblem, offers: Mapping[OfferKey, int], factor: int = 3) -> Iterator[tuple[OfferKey, int]]:
    """Yield by offer how many nodes a search lets there be at most: so many times what is given, inside what is sold."""
    sold = {t.key(o): o.most_nodes for t in problem.instance_types for o in t.offers}
    for key, count in offers.items():
        most = sold.get(key)
        yield key, factor * count + 1 if most is None else min(factor * count + 1, most)
