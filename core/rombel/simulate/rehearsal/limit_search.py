"""The search for the cheapest limits under which a promise holds: all pools together, how they are paid for, then pool by pool."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import replace
from datetime import UTC, datetime
from decimal import Decimal
from itertools import product
from math import ceil

import numpy as np

from rombel.model.fit_problem import FitProblem, InstanceType, OfferKey, Purchase
from rombel.model.fit_solution import FitSolution
from rombel.model.rehearsal import PoolRange, Rehearsal
from rombel.simulate.cluster import counted
from rombel.simulate.rehearsal.building import price_beyond
from rombel.simulate.rehearsal.limits import LimitFound, Planned, Promise, Ranges, Sufficing, Trial, sure_percent
from rombel.simulate.rehearsal.outcome import RehearsalOutcome
from rombel.simulate.rehearsal.playing import rehearse
from rombel.simulate.rehearsal.rising import rise_within

SHARES = (0, 25, 50, 75, 100)
"""Percent of the way from the fewest to the most nodes at which all pools are tried together, the fewest first."""
KEPT = (0, 1, 2)
"""Nodes' room kept back in every pool and zone that are tried with each of them."""
SOUGHT_WITH = 2
"""Seeds that the search itself plays; what it finds is then played with all of them."""


class LimitsSearch:
    """Plays limits and remembers what each showed."""

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
        # In one order whatever order they come in: which limits are tried first decides between equals.
        self._keys = sorted(set(rehearsal.ranges) | set(ceilings))
        self._types = {t.name: t for t in problem.instance_types}
        self._sold = {t.key(o): o for t in problem.instance_types for o in t.offers}
        self.rise = rise_within(rehearsal, problem)

    def tell(self, phase: str, share: float) -> None:
        """Tell progress, and remember a wish to stop."""
        self.stopped = self.stopped or (self._tell is not None and self._tell(phase, share))

    def play(self, ranges: Ranges, seed: int) -> RehearsalOutcome:
        """Return what limits show with a seed; what was played once is known."""
        key = tuple(sorted(ranges.items()))
        if (key, seed) not in self._known:
            found = rehearse(self.problem, self.solution, replace(self.rehearsal, ranges=ranges), seed=seed)
            self._known[key, seed] = found
            # One trial each is kept to be told; the seeds of one limit lie close together.
            if seed == 0:
                self._trials[key] = Trial(found.total, found.share("late"), found.waited_min, _words(ranges))
        return self._known[key, seed]

    def holds(self, ranges: Ranges, runs: int = SOUGHT_WITH) -> bool:
        """Return whether the promise holds with every one of the first seeds."""
        return all(self.promise.holds(self.play(ranges, seed)) for seed in range(runs))

    def better(self, ranges: Ranges, than: Ranges) -> bool:
        """Return whether limits cost less than others and keep the promise."""
        # One play first: most limits are dearer, and the other seeds need not be played for those.
        return self.play(ranges, 0).total < self.cost(than) and self.holds(ranges)

    def cost(self, ranges: Ranges) -> Decimal:
        """Return what limits cost on average over the seeds of the search."""
        return sum((self.play(ranges, seed).total for seed in range(SOUGHT_WITH)), Decimal(0)) / SOUGHT_WITH

    def floor(self, key: OfferKey) -> int:
        """Return the fewest nodes that the plan keeps of a pool in a zone whatever is shown."""
        return min(self.planned.get(key, Planned()).least, self._ceiling(key))

    def _floor_of_alike(self, key: OfferKey) -> int:
        """Return how many nodes the plan keeps of all pools that are worth the same: of the type in the zone, and not interruptible."""
        return sum(self.floor(other) for other in _alike(key))

    def _has_spare(self, ranges: Ranges, key: OfferKey) -> bool:
        """Return whether the plan would still have what it keeps with a node less of the least of a pool."""
        # What may be taken back stands in for nothing else.
        if key[1] is Purchase.INTERRUPTIBLE:
            return ranges[key].least > self.floor(key)
        return sum(ranges[other].least for other in _alike(key) if other in ranges) > self._floor_of_alike(key)

    def roomy(self) -> Ranges:
        """Return limits with all nodes there from the start."""
        return {key: PoolRange(self.ceilings.get(key, 0), self.ceilings.get(key, 0)) for key in self._keys}

    def cheapest_together(self) -> Ranges:
        """Return the cheapest of the limits that move all pools together and keep the promise."""
        # As many as demand calls for when nothing holds it up, so that nobody is asked to keep more.
        free = self.play({key: PoolRange(self.floor(key), self.ceilings.get(key, 0)) for key in self._keys}, 0)
        seen = {pool.offer: pool.most_seen for pool in free.pools}
        best: Ranges | None = None
        # So much room as demand can rise by while a node starts: it often is what a promise takes.
        lead = ceil(self.rise.share * max(seen.values(), default=0))
        steps = [(kept, share) for kept in sorted({*KEPT, lead}) for share in SHARES]
        for number, (kept, share) in enumerate(steps):
            self.tell("all pools together", 0.05 + 0.35 * number / len(steps))
            if self.stopped and best is not None:
                break
            ranges = {key: self._between(key, seen.get(key, 0), share, kept) for key in self._keys}
            # Until something holds, cost does not matter; from then on only what is cheaper is looked at.
            if self.holds(ranges) if best is None else self.better(ranges, best):
                best = ranges
        return self.roomy() if best is None else best

    def _between(self, key: OfferKey, seen: int, share: int, kept: int) -> PoolRange:
        low, high, most = self.floor(key), max(seen, self.floor(key)), self.ceilings.get(key, 0)
        # Rounded up: a quarter of the way to one node is one node.
        return PoolRange(low - (-(high - low) * share // 100), most, min(kept, most) if seen else 0)

    def paid_otherwise(self, ranges: Ranges) -> Ranges:
        """Return limits with other purchases of the same types, one type after another, where that costs less and keeps the promise."""
        found = dict(ranges)
        # Type by type, each from what the one before left: together there would be too many ways to play.
        names = sorted({name for name, _, _ in found})
        for number, name in enumerate(names):
            self.tell("how nodes are paid for", 0.4 + 0.2 * number / len(names))
            start = dict(found)
            ways = [self._committed(start, self._types[name], *way) for way in product((0, 1), (False, True))]
            for way in [*ways, self._interruptible(start, self._types[name])]:
                tried = {**found, **way}
                # Each way starts from the type's limits as they were, so that none builds on another.
                if tried != found and not self.stopped and self.better(tried, found):
                    found = tried
        return found

    def _committed(self, ranges: Ranges, entry: InstanceType, more: int, bare: bool) -> dict[OfferKey, PoolRange]:
        """Return limits with so many nodes of a type committed to as run long enough for that to pay, and some more; bare: without room kept free."""
        tried: dict[OfferKey, PoolRange] = {}
        nodes = {pool.offer: np.array(pool.nodes) for pool in self.play(ranges, 0).pools}
        for sold in entry.offers:
            beyond = price_beyond(entry, sold)
            if sold.purchase is not Purchase.COMMITTED or sold.price_per_hour >= beyond:
                continue
            own, kin = entry.key(sold), (entry.name, Purchase.ON_DEMAND, sold.zone)
            running = sum((nodes[key] for key in (own, kin) if key in nodes), np.zeros(1))
            # A node that runs a larger part of the time than its committed price is of that on demand pays: so many run that often.
            pays = float(np.quantile(running, 1 - float(sold.price_per_hour / beyond)))
            count = min(round(pays) + more, self._ceiling(own))
            before, other = ranges.get(own, PoolRange(0, 0)), ranges.get(kin)
            if other is None:
                count = max(count, self._floor_of_alike(own))
            tried[own] = PoolRange(count, max(count, before.most), 0 if bare else before.kept_back)
            if other is not None:
                # Committed nodes take over what stood on demand before, but never what the plan keeps of both.
                least = max(self._floor_of_alike(kin) - count, other.least - (count - before.least), 0)
                tried[kin] = PoolRange(min(least, other.most), other.most, 0 if bare else other.kept_back)
        return tried

    def _interruptible(self, ranges: Ranges, entry: InstanceType) -> dict[OfferKey, PoolRange]:
        """Return limits with interruptible nodes of a type, as many as there may be, beside the others."""
        # Of which nobody knows how often they are taken back would seem to be for nothing.
        keys = (entry.key(sold) for sold in entry.offers if sold.purchase is Purchase.INTERRUPTIBLE)
        opened = (key for key in keys if key in self.rehearsal.taken_back)
        return {key: ranges.get(key, PoolRange(0, self._ceiling(key))) for key in opened}

    def _ceiling(self, key: OfferKey) -> int:
        """Return how many nodes of an offer there may be at most: where nothing says so, as many as of the type in the zone otherwise."""
        if key in self.ceilings:
            return self.ceilings[key]
        most = max((n for (name, _, zone), n in self.ceilings.items() if (name, zone) == (key[0], key[2])), default=0)
        sold = self._sold.get(key)
        if sold is None:
            return 0
        return most if sold.most_nodes is None else min(most, sold.most_nodes)

    def lowered(self, ranges: Ranges) -> Ranges:
        """Return limits of which no single least count, and no room kept back, can be lowered by one with the promise kept, as far as was tried."""
        found = dict(ranges)
        # The dearest first: a node less of it saves most, and may leave others without anything to lower.
        order = sorted(found, key=lambda key: (-self._sold[key].price_per_hour, key))
        for number, key in enumerate(order):
            self.tell("pool by pool", 0.6 + 0.2 * number / len(order))
            while not self.stopped and (fewer := self._fewer(found, key)) is not None:
                found = fewer
        return found

    def _fewer(self, ranges: Mapping[OfferKey, PoolRange], key: OfferKey) -> dict[OfferKey, PoolRange] | None:
        """Return the limits with one node less of an offer, or less of its room kept back, that cost less and hold; None: there are none."""
        own = ranges[key]
        # Room that is kept costs a node that may stand empty, so it is given up before a node that works.
        tries = [replace(own, kept_back=own.kept_back - 1)] if own.kept_back else []
        tries += [replace(own, least=own.least - 1)] if own.least and self._has_spare(ranges, key) else []
        fewer = ({**ranges, key: entry} for entry in tries)
        return next((tried for tried in fewer if self.better(tried, ranges)), None)

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
        limits = tuple(self._limit(key, ranges, seen.get(key, (0, 0)), len(outcomes)) for key in sorted(ranges))
        cost = sum((found.total for found in outcomes), Decimal(0)) / len(outcomes)
        return Sufficing(
            tuple(entry for entry in limits if entry.range.most),
            held,
            len(outcomes),
            sure_percent(held, len(outcomes)),
            cost.quantize(Decimal("0.01")),
            before.quantize(Decimal("0.01")),
            self.undominated(),
            self.rise,
        )

    def _limit(self, key: OfferKey, ranges: Ranges, seen: tuple[int, int], runs: int) -> LimitFound:
        own, plan = ranges[key], self.planned.get(key, Planned())
        ceiling = self._ceiling(key)
        # Never under what was seen in any run: the limits told must be those that were played.
        most = min(max(seen[0], plan.most, own.least), ceiling)
        because = f"the most seen in {counted(runs, 'run')}" if seen[0] >= plan.most else plan.most_because
        if seen[0] >= ceiling > 0:
            because = "the most that quotas and stock allow"
        kept = min(own.kept_back, most)
        return LimitFound(
            key, PoolRange(own.least, most, kept), self._why_least(key, ranges), because, self._why_kept(key, ranges)
        )

    def _why_least(self, key: OfferKey, ranges: Ranges) -> str:
        own = ranges[key]
        if not own.least:
            return "nothing needs it all the time"
        if not self._has_spare(ranges, key):
            return "the trough with its promises"
        return self._with_one_less({**ranges, key: replace(own, least=own.least - 1)})

    def _why_kept(self, key: OfferKey, ranges: Ranges) -> str:
        own = ranges[key]
        return self._with_one_less({**ranges, key: replace(own, kept_back=own.kept_back - 1)}) if own.kept_back else ""

    def _with_one_less(self, ranges: Ranges) -> str:
        fewer = self.play(ranges, 0)
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


def _alike(key: OfferKey) -> tuple[OfferKey, OfferKey]:
    """Return the pools of a type in a zone that are not interruptible."""
    return (key[0], Purchase.ON_DEMAND, key[2]), (key[0], Purchase.COMMITTED, key[2])


def _words(ranges: Ranges) -> str:
    least = sum(pool.least for pool in ranges.values())
    kept = sum(pool.kept_back for pool in ranges.values())
    return f"at least {counted(least, 'node')}" + (f", room of {counted(kept, 'node')} kept back" if kept else "")
