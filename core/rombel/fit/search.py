"""The search for whole-node answers: ruin and recreate, steered by the prices of a relaxation."""

from __future__ import annotations

from collections import Counter
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass

import numpy as np

from rombel.fit import _kernel, _plan
from rombel.fit._plan import NOWHERE, Given, Plan
from rombel.fit.instance import Floats, Instance, Ints
from rombel.model.fit_solution import Landing, NodeBatch


@dataclass(frozen=True, slots=True)
class SearchParams:
    """How the search goes.

    Parameters
    ----------
    work
        Budget of placements looked at; the number of steps follows from it and the size of the problem, so
        that the same input takes the same steps on every machine.
    first_heat, last_heat
        Threshold for taking a worse answer, as a share of the cost, at the start and at the end.
    most_emptied
        Most nodes emptied in one step.

    """

    work: int = 15_000_000
    first_heat: float = 4e-3
    last_heat: float = 4e-5
    most_emptied: int = 4


@dataclass(frozen=True, slots=True)
class Prices:
    """What steers the search: worth of a replica (S, J, I) and of a unit of room (S, J, R), in each state."""

    worth: Floats
    weight: Floats


class Search:
    """A running search on one instance; its best answer only gets better.

    Parameters
    ----------
    instance
        What is being solved.
    prices
        From the divisible relaxation.
    slots
        Most nodes at a time.
    seed
        Of the generator.
    params
        See ``SearchParams``.

    """

    def __init__(self, instance: Instance, prices: Prices, slots: int, seed: int, params: SearchParams) -> None:
        self.instance, self.params = instance, params
        states = len(instance.problem.zones) if instance.lands.any() else 1
        self._given = _given(instance, prices)
        self._best, self._now, self._work = (_empty_plan(instance, states, slots) for _ in range(3))
        self._seed, self._calls = seed, 0

    def construct(self) -> None:
        """Build a first answer."""
        self._draw()
        _kernel.recreate(self._given, self._now, 0.0, 0.0)
        _kernel.tidy(self._given, self._now)
        _plan.copy_plan(self._now, self._best)

    def adopt(self, slots: Search) -> bool:
        """Take over an answer in which enough replicas stand, as one in which they land; return whether it served.

        In every class some of the standing replicas become the real ones, the others become kept-back room: with
        at least ``replicas`` places outside each zone, those of a lost zone always find one.
        """
        taken = slots._best
        alive = [int(node) for node in np.flatnonzero(taken.offer[: taken.top[0]] != NOWHERE)]
        real = _real_counts(self.instance, taken.zones)
        if real is None or slots.unplaced.any() or len(alive) > len(self._now.offer):
            return False
        holes = np.zeros_like(self._now.base)
        left = real.copy()
        for node in alive:
            zone = self.instance.zone[taken.offer[node]]
            base = np.minimum(taken.base[node], left[:, zone])
            left[:, zone] -= base
            place = _plan.open_node(self._given, self._now, int(taken.offer[node]))
            holes[place] = taken.base[node] - base
            for i in np.flatnonzero(base):
                _plan.put_base(self._given, self._now, place, int(i), int(base[i]))
        if (self._now.on_interruptible > self.instance.interruptible_most).any():
            return False
        self._now.wait[:] -= real.sum(axis=1)
        self._land_in(holes, real)
        _kernel.tidy(self._given, self._now)
        _plan.copy_plan(self._now, self._best)
        return not self.unplaced.any()

    def adopt_loads(self, nodes: list[tuple[int, Ints]]) -> None:
        """Try an answer given as one (offer, load) for each node; what it leaves out is placed as usual."""
        trial = self._work
        _plan.copy_plan(_empty_plan(self.instance, trial.free.shape[1], len(trial.offer)), trial)
        for offer, load in nodes[: len(trial.offer)]:
            if not _plan.may_open(self._given, trial, offer):
                continue
            place = _plan.open_node(self._given, trial, offer)
            for i in np.flatnonzero(load):
                room = _plan.zone_room(self._given, trial, int(i), int(self.instance.zone[offer]))
                room = min(room, _plan.kind_room(self._given, trial, int(i), offer))
                count = min(int(load[i]), int(trial.wait[i]), room)
                if count > 0:
                    _plan.put_base(self._given, trial, place, int(i), count)
                    trial.wait[i] -= count
        self._draw()
        _kernel.recreate(self._given, trial, 0.0, 0.0)
        _kernel.tidy(self._given, trial)
        if _kernel.cost(self._given, trial) < _kernel.cost(self._given, self._best):
            _plan.copy_plan(trial, self._best)

    def _land_in(self, holes: Ints, real: Ints) -> None:
        """Let the replicas of every zone land in the holes of the others; what finds none waits."""
        zones = self.instance.zone[self._now.offer]
        for i in np.flatnonzero(self.instance.lands):
            for state in np.flatnonzero(real[i]):
                count = int(real[i, state])
                for node in np.flatnonzero((holes[:, i] > 0) & (zones != state) & (self._now.offer != NOWHERE)):
                    step = min(count, int(holes[node, i]))
                    if step:
                        _plan.put_landing(self._given, self._now, int(node), int(state), int(i), step)
                    count -= step
                self._now.wait_land[state, i] += count

    def set_prices(self, prices: Prices) -> None:
        """Steer by other prices from here on."""
        self._given = _given(self.instance, prices)

    @property
    def steps(self) -> int:
        """Return how many steps the budget buys."""
        replicas = int(self.instance.total.sum()) + 1
        nodes = max(1, int(self._best.top[0]))
        states = self._best.free.shape[1]
        moved = min(nodes, self.params.most_emptied / 2) * max(1.0, replicas / nodes)
        return max(50, int(self.params.work / (moved * (nodes + 60) * states)))

    def improve(self, begin: float, end: float, steps: int) -> None:
        """Run steps; ``begin`` and ``end`` say where on the way from first to last heat they stand."""
        first, last = self.params.first_heat, self.params.last_heat
        heat = np.array([first * (last / first) ** begin, first * (last / first) ** end])
        self._draw()
        most = max(2, min(self.params.most_emptied, int(self._now.top[0]) // 2))
        _kernel.improve(self._given, self._now, self._work, self._best, heat, steps, most)

    def _draw(self) -> None:
        """Seed the compiled generator of this thread, anew at each call, so that threads do not matter."""
        _kernel.seed_random(self._seed * 7_919 + self._calls)
        self._calls += 1

    def restart(self) -> None:
        """Go on from the best answer."""
        _plan.copy_plan(self._best, self._now)

    @property
    def unplaced(self) -> Ints:
        """Return (I,) replicas of the best answer without a place, or without a place to land."""
        waiting: Ints = self._best.wait + self._best.wait_land.sum(axis=0)
        return waiting

    @property
    def cost(self) -> int:
        """Return the cost of the best answer in whole-number prices, padding included."""
        counts = self._best.nodes + _kernel.padding(self._given, self._best)
        return int((counts * self.instance.price).sum())

    def loads(self) -> list[tuple[int, int, Ints]]:
        """Return the columns (state, offer, load) that the best answer uses."""
        best, found = self._best, {}
        for node in np.flatnonzero(best.offer[: best.top[0]] != NOWHERE):
            offer = int(best.offer[node])
            for state in range(best.free.shape[1]):
                if best.free.shape[1] == 1 or self.instance.zone[offer] != state:
                    load = best.base[node] + best.land[node, state]
                    found[state, offer, load.tobytes()] = (state, offer, load)
        return list(found.values())

    def answer(self) -> tuple[tuple[NodeBatch, ...], dict[str, tuple[Landing, ...]] | None]:
        """Return the best answer's nodes in groups, and where each zone's replicas land."""
        best = self._best
        nodes = [int(node) for node in np.flatnonzero(best.offer[: best.top[0]] != NOWHERE)]
        nodes.sort(key=lambda node: (int(best.offer[node]), tuple(-best.base[node]), node))
        groups: Counter[tuple[int, tuple[int, ...]]] = Counter()
        for node in nodes:
            groups[int(best.offer[node]), tuple(best.base[node].tolist())] += 1
        for offer, count in enumerate(_kernel.padding(self._given, best)):
            if count:
                groups[offer, (0,) * best.base.shape[1]] += int(count)
        result = tuple(self._group(offer, base, count) for (offer, base), count in groups.items())
        return result, self._landing(nodes) if self.instance.lands.any() else None

    def _group(self, offer: int, base: tuple[int, ...], count: int) -> NodeBatch:
        instance_type, sold = self.instance.offers[offer]
        names = self.instance.workloads
        replicas = {names[i].name: number for i, number in enumerate(base) if number}
        return NodeBatch(instance_type.name, sold.purchase, sold.zone, count, replicas)

    def _landing(self, nodes: list[int]) -> dict[str, tuple[Landing, ...]]:
        workloads = self.instance.workloads
        result: dict[str, tuple[Landing, ...]] = {}
        for state, zone in enumerate(self.instance.problem.zones):
            entries = []
            for place, node in enumerate(nodes):
                land = self._best.land[node, state]
                if land.any():
                    entries.append(Landing(place, {workloads[i].name: int(land[i]) for i in np.flatnonzero(land)}))
            result[zone] = tuple(entries)
        return result


class Team:
    """Several searches from different seeds, each on a thread of its own; together as good as the best of them.

    Every search draws from its own seed at each call, so the answer does not depend on how threads are run.
    """

    def __init__(self, members: list[Search]) -> None:
        self.members = members
        self._threads = ThreadPoolExecutor(len(members))

    @property
    def best(self) -> Search:
        """Return the member with the cheapest complete answer; the first of equals."""
        return min(self.members, key=lambda member: (int(member.unplaced.sum()), member.cost))

    def improve(self, begin: float, end: float, steps: int) -> None:
        """Let every member run steps at the same time."""
        list(self._threads.map(lambda member: member.improve(begin, end, steps), self.members))

    def close(self) -> None:
        """Give the threads back."""
        self._threads.shutdown()


def _real_counts(instance: Instance, slots: Ints) -> Ints | None:
    """Return (I, Z) how many of the places of each class and zone are real replicas; None when none serve."""
    real = np.zeros_like(slots)
    for i, total in enumerate(instance.total):
        if not instance.lands[i]:
            real[i] = slots[i]
            continue
        most = np.minimum(slots[i], instance.window[i, :, 1])
        for _ in range(int(total)):
            room = np.flatnonzero(real[i] < most)
            if not len(room):
                return None
            real[i, min(room, key=lambda zone: (real[i, zone], -slots[i, zone], zone))] += 1
        if (real[i] < instance.window[i, :, 0]).any():
            return None
    return real


def _given(instance: Instance, prices: Prices) -> Given:
    limits, unlimited = instance.problem.limits, 10**9
    bounds = [limits.most_pools or unlimited, limits.fewest_nodes_per_pool or 0, limits.fewest_nodes_per_zone or 0]
    bounds.append(int(limits.equal_zones))
    room = np.einsum("sjr,ir->sji", prices.weight, instance.request)
    waste = np.maximum(room.sum(axis=0) - prices.worth.sum(axis=0), 0.0)
    return Given(
        request=instance.request,
        capacity=instance.capacity,
        price=instance.price.astype(float),
        zone=instance.zone,
        pool=instance.pool,
        quota=instance.quota,
        per_node=instance.per_node,
        total=instance.total,
        window=instance.window,
        lands=instance.lands,
        interruptible=instance.interruptible,
        interruptible_most=instance.interruptible_most,
        size=prices.worth.sum(axis=0).max(axis=0),
        worth=np.ascontiguousarray(prices.worth.sum(axis=0)),
        weight=prices.weight,
        waste=waste,
        waste_land=np.maximum(room - prices.worth, 0.0),
        limits=np.array(bounds, np.int64),
    )


def _empty_plan(instance: Instance, states: int, slots: int) -> Plan:
    offers, classes = instance.per_node.shape
    width, zones = instance.request.shape[1], len(instance.problem.zones)
    return Plan(
        offer=np.full(slots, NOWHERE, np.int64),
        free=np.zeros((slots, states, width), np.int64),
        least=np.zeros((slots, width), np.int64),
        slack=np.zeros(slots),
        base=np.zeros((slots, classes), np.int64),
        land=np.zeros((slots, states, classes), np.int64),
        zones=np.zeros((classes, zones), np.int64),
        on_interruptible=np.zeros(classes, np.int64),
        nodes=np.zeros(offers, np.int64),
        pools=np.zeros(int(instance.pool.max(initial=0)) + 1, np.int64),
        top=np.zeros(1, np.int64),
        wait=instance.total.copy(),
        wait_land=np.zeros((states, classes), np.int64),
    )
