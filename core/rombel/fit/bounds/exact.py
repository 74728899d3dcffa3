"""Step 7. Small problems searched to the end: every pattern of a node listed, and one whole-number program with every rule.

Columns count the nodes of an offer with a pattern; where replicas land, also the nodes of an offer with a pattern that receive another one
when a zone is lost. Nodes alike are exchangeable, so who of them receives what in one loss is free of who does in another. What is
listed is all there is: an answer of the program is the cheapest there is, and where it has none there is none. Rules on single nodes'
counts (spread over nodes, the loss of nodes) and new nodes after a loss are not in it; with them it is a relaxation.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np

from rombel.fit.bounds._highs import INFINITY, LinearResult, Stop, never
from rombel.fit.bounds._rows import Rows
from rombel.fit.bounds.all_patterns import Pattern, TooLarge, all_patterns, maximal
from rombel.fit.problem.building import most_together
from rombel.fit.problem.counts import most_interruptible
from rombel.fit.problem.instance import UNLIMITED, Instance, Ints
from rombel.model.fit_problem import Survival

SURE, INTERRUPTIBLE = 0, 1


@dataclass(frozen=True, slots=True)
class ExactParams:
    """How large a problem may be, and how far its tree goes.

    Parameters
    ----------
    most_patterns, most_pairs
        Loads listed at most for one size of node; where replicas land, pairs of a pattern and what lands beside it.
    most_columns
        Columns of the program at most.
    most_tree_nodes, most_checks, most_work
        Nodes of the tree, and the solver's checks of its limits: at most so many, and fewer where each looks at many columns.

    """

    most_patterns: int = 12_000
    most_pairs: int = 4_000
    most_columns: int = 3_000
    most_tree_nodes: int = 20_000
    most_checks: int = 300
    most_work: int = 300_000


@dataclass(frozen=True, slots=True)
class ExactNode:
    """One node of an answer: its offer, (I,) replicas, and by the zone lost (I,) replicas that land on it."""

    offer: int
    pattern: Ints
    landing: dict[int, Ints]


@dataclass(frozen=True, slots=True)
class Exact:
    """How it ended.

    Parameters
    ----------
    impossible
        Whether it is proved that there is no answer.
    floor
        A proved lower bound in units of ``cost``; the cost of the answer where it is the cheapest there is.
    optimal
        Whether the answer is proved to be the cheapest.
    nodes
        Of the best answer found; None where there was none.
    unplaced
        (I,) replicas without a place, where as many as possible were placed.

    """

    impossible: bool
    floor: float
    optimal: bool
    nodes: tuple[ExactNode, ...] | None
    unplaced: Ints


@dataclass(frozen=True, slots=True)
class Without:
    """Rules left out, to see which of them stand in the way."""

    quotas: bool = False
    spread: bool = False
    promise: bool = False
    pools: bool = False
    share: bool = False


def is_whole(instance: Instance) -> bool:
    """Return whether the program holds every rule of the problem, so that its answers are answers."""
    workloads = instance.workloads
    return not any(
        w.node_skew is not None
        or instance.problem.node_promise_of(w).promised
        or instance.problem.promise_of(w) is Survival.GROWING
        for w in workloads
    )


def solve_exact(
    instance: Instance, params: ExactParams, *, stop: Stop = never, most: bool = False, without: Without | None = None
) -> Exact | None:
    """Return the solved program; None where it would be too large or the problem has no offers.

    Parameters
    ----------
    instance
        The problem.
    params
        See ``ExactParams``.
    stop
        Says whether somebody wishes to stop.
    most
        Place as many replicas as the rules allow, whatever it costs, instead of all at least cost.
    without
        Rules left out.

    """
    try:
        program = _Program(instance, params, without or Without(), most)
    except TooLarge:
        return None
    return program.solved(stop)


class _Program:
    """The program of an instance, and how its columns are read."""

    # Columns are numbered as they are made; the dictionaries say which replicas, nodes and landings each one stands for.
    def __init__(self, instance: Instance, params: ExactParams, without: Without, most: bool) -> None:
        self.instance, self.params, self.without, self.most = instance, params, without, most
        self.rows = Rows()
        self.lands = instance.lands & (not without.promise)
        self.scenarios = range(len(instance.problem.zones)) if self.lands.any() else range(0)
        self.nodes: list[tuple[int, int, Pattern]] = []
        """(column, offer, pattern) of the nodes; by column of such nodes, what lands on them: (column, scenario, pattern)."""
        self.landings: dict[int, list[tuple[int, int, Pattern]]] = defaultdict(list)
        self.cover: dict[tuple[int, int, int], int] = {}
        self.reach: dict[tuple[int, int, int], int] = {}
        self.count: dict[tuple[int, int, int], int] = {}
        self.missing: list[int] = []
        self._classes()
        self._offers()
        self._pools()

    def is_split(self, i: int) -> bool:
        """Return whether only a part of the class may run on interruptible nodes."""
        share = self.instance.workloads[i].interruptible_share
        return not self.without.share and 0 < share < 1 and bool(self.instance.interruptible.any())

    def kind(self, i: int, offer: int) -> int:
        """Return where a class is counted on nodes of an offer: apart from others on interruptible ones only where it is split."""
        return INTERRUPTIBLE if self.is_split(i) and self.instance.interruptible[offer] else SURE

    def _kinds(self, i: int) -> range:
        return range(2 if self.is_split(i) else 1)

    def _classes(self) -> None:
        """Make the columns of how many replicas stand where, and the rows that rule them."""
        instance, rows = self.instance, self.rows
        for i, workload in enumerate(instance.workloads):
            zones = instance.usable_zones(i)
            # Where as many as possible are to be placed, a missing replica costs one and nodes cost nothing.
            self.missing.append(rows.column(1.0 if self.most else 0.0, float(workload.replicas) if self.most else 0.0))
            for zone in zones:
                # A volume that exists keeps its zone: that many stand there, whatever is cheaper.
                held = workload.stands.get(instance.problem.zones[zone], 0)
                stands = rows.row(0.0 if self.most else float(held))
                for kind in self._kinds(i):
                    column = self.count[i, zone, kind] = rows.column()
                    self.cover[i, zone, kind] = rows.row(0.0)
                    # Counts stand between what is asked for and what nodes carry: rules of spread and share look at them alone.
                    rows.put(self.cover[i, zone, kind], column, -1.0)
                    rows.put(stands, column, 1.0)
            self._totals(i, zones)
            self._spread(i, zones)
            self._share(i, zones)

    def _totals(self, i: int, zones: list[int]) -> None:
        instance, rows, replicas = self.instance, self.rows, float(self.instance.workloads[i].replicas)
        standing = instance.promise(i) is Survival.STANDING and not self.without.promise
        # -1 stands for "no zone is lost".
        lost: list[int] = [-1, *range(len(instance.problem.zones))] if standing else [-1]
        # Without replicas on top the count is just what is asked for; with them it is at least that.
        exact = not standing and instance.least_total[i] == instance.workloads[i].replicas
        for zone in lost:
            fewest = replicas if zone == -1 else float(instance.workloads[i].left)
            row = rows.row(fewest, fewest if exact else INFINITY)
            rows.put(row, self.missing[i], 1.0)
            for other in zones:
                if other != zone:
                    for kind in self._kinds(i):
                        rows.put(row, self.count[i, other, kind], 1.0)

    def _spread(self, i: int, zones: list[int]) -> None:
        instance, rows, skew = self.instance, self.rows, int(self.instance.skew[i])
        if skew < 0 or self.without.spread:
            return
        # A domain in which nothing it may run on is sold holds none, and so the fewest of any zone is none.
        full = instance.domains[i].sum() > len(zones)
        # With the fewest as a column of its own the spread takes one row a zone and not one for every pair.
        fewest = rows.column(0.0, 0.0 if full else INFINITY)
        for zone in zones:
            row = rows.row(0.0, float(skew))
            rows.put(row, fewest, -1.0)
            for kind in self._kinds(i):
                rows.put(row, self.count[i, zone, kind], 1.0)

    def _share(self, i: int, zones: list[int]) -> None:
        """Keep the share on interruptible nodes, also when the replicas of a lost zone have landed."""
        if not self.is_split(i):
            return
        rows, workload = self.rows, self.instance.workloads[i]
        standing = self.instance.promise(i) is Survival.STANDING and not self.without.promise
        # Exactly the share that the checker grants, with its tolerance, so that the two never disagree.
        share, most = workload.interruptible_share, float(most_interruptible(workload, workload.replicas))
        # Where more may be placed than is asked for, the share is of what is placed; else it is a plain number.
        row = rows.row(-INFINITY, 1e-7 if standing or self.most else most)
        for zone in zones:
            for kind in self._kinds(i):
                part = share if standing or self.most else 0.0
                rows.put(row, self.count[i, zone, kind], (kind == INTERRUPTIBLE) - part)
        # After a landing the share must hold again, with what stood elsewhere and what has arrived.
        for scenario in self.scenarios if self.lands[i] else ():
            after = rows.row(-INFINITY, most)
            for zone in zones:
                if zone != scenario:
                    rows.put(after, self.count[i, zone, INTERRUPTIBLE], 1.0)
            column = self.count[i, scenario, 2 + INTERRUPTIBLE] = rows.column()
            rows.put(after, column, 1.0)

    def _landing_rows(self, i: int, scenario: int) -> Iterator[int]:
        """Yield the rows that cover what lands of a class when a zone is lost, on sure and on interruptible nodes."""
        rows = self.rows
        for kind in self._kinds(i):
            if (i, scenario, kind) not in self.reach:
                row = self.reach[i, scenario, kind] = rows.row(0.0)
                for own in self._kinds(i):
                    if kind == SURE and (i, scenario, own) in self.count:
                        rows.put(row, self.count[i, scenario, own], -1.0)
                if self.is_split(i):
                    rows.put(row, self.count[i, scenario, 2 + INTERRUPTIBLE], -1.0 if kind == INTERRUPTIBLE else 1.0)
            yield self.reach[i, scenario, kind]

    def _offers(self) -> None:
        """Make the columns of nodes, and of what lands on them."""
        instance, rows = self.instance, self.rows
        for scenario in self.scenarios:
            # The rows exist before any node does, since nodes refer to them.
            for i in np.flatnonzero(self.lands):
                list(self._landing_rows(int(i), scenario))
        # Offers of one size, under one set of limits, share their list: it is the same in every zone and at every price.
        listed: dict[tuple[Pattern, Pattern], tuple[list[Pattern], dict[Pattern, list[Pattern]]]] = {}
        for offer in range(len(instance.offers)):
            room, caps = tuple(instance.capacity[offer].tolist()), self._caps(offer)
            # A pattern list is the dearest part of the program, so it is made once a size.
            if (room, caps) not in listed:
                listed[room, caps] = self._listed(room, caps)
            quota = float(instance.quota[offer])
            fewest = float(instance.fewest[offer])
            sold = rows.row(fewest, INFINITY if self.without.quotas or quota >= UNLIMITED else quota)
            patterns, beside = listed[room, caps]
            # A node that runs in any case may stand empty, also where no pattern fits it.
            for pattern in patterns or ([(0,) * len(instance.workloads)] if fewest else []):
                self._node(offer, pattern, beside.get(pattern, []), sold)
            # Looked at after every offer: a program that is too large is given up before it takes the memory.
            if len(rows.columns) > self.params.most_columns:
                raise TooLarge
        if not self.without.quotas:
            columns = self._columns_by_offer()
            for use, most in zip(instance.shared_use, instance.shared_most, strict=True):
                row = rows.row(-INFINITY, float(most))
                for offer in np.flatnonzero(use).tolist():
                    for column in columns[offer]:
                        rows.put(row, column, float(use[offer]))

    def _caps(self, offer: int) -> Pattern:
        replicas = [most_together(self.instance.problem, w) for w in self.instance.workloads]
        return tuple(int(min(own, most)) for own, most in zip(self.instance.most_on_node[offer], replicas, strict=True))

    def _listed(self, room: Pattern, caps: Pattern) -> tuple[list[Pattern], dict[Pattern, list[Pattern]]]:
        """Return the patterns of a node and, where replicas land, by pattern what may land beside it."""
        instance, limit = self.instance, self.params.most_pairs if len(self.scenarios) else self.params.most_patterns
        patterns = all_patterns(caps, instance.request, room, instance.apart, limit)
        # Where nothing lands a node that carries less is never needed: counts cover at least what is asked for.
        if not len(self.scenarios):
            # A node that carries less can be needed after all where something is to land on it: then the room counts.
            return maximal(patterns), {}
        beside: dict[Pattern, list[Pattern]] = {}
        pairs = 0
        for pattern in patterns:
            carried = np.array(pattern)
            # What lands must keep apart from what stands there, and only some classes land at all.
            barred = instance.apart[carried > 0].any(axis=0) | ~self.lands
            more = tuple(0 if bar else cap - own for bar, cap, own in zip(barred, caps, pattern, strict=True))
            left = np.array(room) - carried @ instance.request
            landings = maximal(all_patterns(more, instance.request, left.tolist(), instance.apart, limit - pairs))
            # What lands is maximal too: more room used for a landing never makes an answer worse.
            beside[pattern] = [landing for landing in landings if any(landing)]
            pairs += max(1, len(beside[pattern]))
        return patterns, beside

    def _node(self, offer: int, pattern: Pattern, beside: list[Pattern], sold: int) -> None:
        instance, rows, zone = self.instance, self.rows, int(self.instance.zone[offer])
        column = rows.column(0.0 if self.most else float(instance.cost[offer]))
        self.nodes.append((column, offer, pattern))
        rows.put(sold, column, 1.0)
        for i, number in enumerate(pattern):
            if number:
                rows.put(self.cover[i, zone, self.kind(i, offer)], column, float(number))
        # What lands on a node may differ with the zone that is lost; each has a choice of its own.
        for scenario in self.scenarios:
            if scenario == zone or not beside:
                continue
            # No more arrivals than nodes of this pattern: the room of each is used once a scenario.
            room = rows.row(-INFINITY, 0.0)
            rows.put(room, column, -1.0)
            for landing in beside:
                arrival = rows.column()
                self.landings[column].append((arrival, scenario, landing))
                rows.put(room, arrival, 1.0)
                for i, number in enumerate(landing):
                    if number:
                        rows.put(self.reach[i, scenario, self.kind(i, offer)], arrival, float(number))

    def _columns_by_offer(self) -> dict[int, list[int]]:
        columns: dict[int, list[int]] = defaultdict(list)
        for column, offer, _ in self.nodes:
            columns[offer].append(column)
        return columns

    def _pools(self) -> None:
        """Add what the limits ask of pools and zones."""
        instance, rows, limits = self.instance, self.rows, self.instance.problem.limits
        if self.without.pools:
            return
        columns = self._columns_by_offer()
        per_pool, per_zone = limits.fewest_nodes_per_pool or 0, limits.fewest_nodes_per_zone or 0
        # Larger than any count that an answer can need, and small enough for a solver's tolerance.
        ceiling = float(
            2 * sum(w.replicas for w in instance.workloads) + len(instance.problem.zones) * max(per_pool, per_zone) + 1
        )
        used = []
        for pool in range(int(instance.pool.max(initial=-1)) + 1):
            own = [int(offer) for offer in np.flatnonzero(instance.pool == pool)]
            groups = [(own, per_pool), *(([offer], per_zone) for offer in own)] if per_zone > 1 else [(own, per_pool)]
            switches = [
                self._switch([column for offer in offers for column in columns[offer]], fewest, ceiling)
                for offers, fewest in groups
            ]
            used.append(switches[0])
            # Equal zones are equal counts of the same pool in each zone.
            if limits.equal_zones:
                for offer in own[1:]:
                    row = rows.row(0.0, 0.0)
                    for column in columns[offer]:
                        rows.put(row, column, 1.0)
                    for column in columns[own[0]]:
                        rows.put(row, column, -1.0)
        if limits.most_pools is not None:
            row = rows.row(-INFINITY, float(limits.most_pools))
            for switch in used:
                rows.put(row, switch, 1.0)

    def _switch(self, columns: list[int], fewest: int, ceiling: float) -> int:
        """Return a column that is 1 where any of these nodes run, which are then at least so many."""
        rows, limits = self.rows, self.instance.problem.limits
        switch = rows.column(0.0, 1.0)
        # With neither a least count nor a most number of pools the switch would rule nothing.
        if fewest > 1 or limits.most_pools is not None:
            above, below = rows.row(-INFINITY, 0.0), rows.row(0.0)
            rows.put(above, switch, -ceiling)
            rows.put(below, switch, -float(fewest))
            for column in columns:
                rows.put(above, column, 1.0)
                rows.put(below, column, 1.0)
        return switch

    def solved(self, stop: Stop) -> Exact:
        """Return how the program ended."""
        model, params = self.rows.model(stop), self.params
        nothing = np.zeros(len(self.instance.workloads), np.int64)
        # Work is given by the size of the program, so that the answer does not hang on how fast the machine is.
        result = model.solve(params.most_tree_nodes, min(params.most_checks, params.most_work // max(1, model.columns)))
        if result.impossible:
            return Exact(True, 0.0, False, None, nothing)
        # The solver gives back 1e30 where it has no answer at all.
        found = len(result.primal) == model.columns and np.isfinite(result.objective) and abs(result.objective) < 1e29
        floor = max(0.0, result.bound) if np.isfinite(result.bound) else 0.0
        if not found or not self._holds(result):
            return Exact(False, floor, False, None, nothing)
        values = np.round(result.primal).astype(np.int64)
        unplaced = np.array([values[column] for column in self.missing], np.int64)
        return Exact(False, floor, result.optimal, _Reader(self, values).nodes(), unplaced)

    def _holds(self, result: LinearResult) -> bool:
        """Return whether the values, rounded, meet every row: a tree's answer does so only within a tolerance."""
        # What is found is rounded and tried against every row; a tolerance must not become a broken rule.
        values = np.round(result.primal)
        sums = np.zeros(len(self.rows.lower))
        for column, (_, upper, lower, entries) in enumerate(self.rows.columns):
            if not lower - 1e-6 <= values[column] <= upper + 1e-6:
                return False
            for row, value in entries.items():
                sums[row] += value * values[column]
        return bool(
            (sums >= np.array(self.rows.lower) - 1e-6).all() and (sums <= np.array(self.rows.upper) + 1e-6).all()
        )


class _Reader:
    """Turns the values of the columns into nodes: patterns cover what must run, and what they hold beyond is left out."""

    def __init__(self, program: _Program, values: Ints) -> None:
        self.program, self.values, self.instance = program, values, program.instance
        # Counts of kinds beyond the first two are helpers for landings, not replicas that stand.
        self.left = {key: int(values[column]) for key, column in program.count.items() if key[2] < 2}
        self._trim()

    def _trim(self) -> None:
        """Leave out standing replicas that nothing asks for: the program may place more where they cost nothing."""
        instance = self.instance
        for i, workload in enumerate(instance.workloads):
            if instance.promise(i) is not Survival.STANDING or self.program.is_split(i):
                continue
            # As many are left out as no rule asks for, from the fullest zone first, so that the spread stays even.
            zones, rules = instance.rules_of(i)
            while True:
                counts = np.array([sum(self.left.get((i, zone, kind), 0) for kind in (0, 1)) for zone in zones])
                fullest = int(np.argmax(counts))
                fewer = counts - (np.arange(len(zones)) == fullest)
                skew = int(instance.skew[i])
                enough = fewer.sum() >= instance.least_total[i] and fewer.sum() - fewer.max() >= workload.left
                even = skew < 0 or fewer.max() - fewer.min() <= skew
                if not (len(zones) and enough and even and fewer[fullest] >= rules.held[fullest]):
                    break
                kind = next(k for k in (0, 1) if self.left.get((i, zones[fullest], k), 0))
                self.left[i, zones[fullest], kind] -= 1

    def nodes(self) -> tuple[ExactNode, ...]:
        """Return the nodes with their replicas and what lands on them."""
        found = [
            ExactNode(offer, self._running(offer, pattern), landing)
            for column, offer, pattern in self.program.nodes
            for landing in self._arrivals(column)
        ]
        self._thin_landings(found)
        return tuple(found)

    def _running(self, offer: int, pattern: Pattern) -> Ints:
        zone, running = int(self.instance.zone[offer]), np.array(pattern, np.int64)
        for i in np.flatnonzero(running):
            # A pattern is what a node may carry; it takes no more than is still to be placed.
            kind = self.program.kind(int(i), offer)
            taken = min(int(running[i]), self.left[int(i), zone, kind])
            self.left[int(i), zone, kind] -= taken
            running[i] = taken
        return running

    def _arrivals(self, column: int) -> list[dict[int, Ints]]:
        """Return for each node of a column what lands on it, by the zone lost."""
        arrivals: list[dict[int, Ints]] = [{} for _ in range(int(self.values[column]))]
        by_state: dict[int, list[Pattern]] = defaultdict(list)
        for arrival, scenario, landing in self.program.landings[column]:
            # Arrivals are dealt to the nodes of their pattern one by one; which of them takes which does not matter.
            by_state[scenario] += [landing] * int(self.values[arrival])
        for scenario, landings in by_state.items():
            for node, landing in zip(arrivals, landings, strict=False):
                node[scenario] = np.array(landing, np.int64)
        return arrivals

    def _thin_landings(self, nodes: list[ExactNode]) -> None:
        """Leave out what would land beyond what is lost, from sure and from interruptible nodes alike."""
        for scenario in self.program.scenarios:
            for i in np.flatnonzero(self.program.lands):
                lost = sum(int(node.pattern[i]) for node in nodes if self.instance.zone[node.offer] == scenario)
                parts = [lost]
                # Sure and interruptible nodes have a budget of what lands each, or the share after the loss would not hold.
                if self.program.is_split(int(i)):
                    risky = int(self.values[self.program.count[int(i), scenario, 2 + INTERRUPTIBLE]])
                    parts = [lost - min(lost, risky), min(lost, risky)]
                for node in nodes:
                    landing = node.landing.get(scenario)
                    if landing is not None and landing[i]:
                        kind = self.program.kind(int(i), node.offer)
                        landing[i] = min(int(landing[i]), parts[kind])
                        parts[kind] -= int(landing[i])
