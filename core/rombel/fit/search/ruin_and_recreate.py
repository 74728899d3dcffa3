"""Step 10. The search for whole-node answers: ruin and recreate, steered by the prices of a relaxation."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rombel.fit.problem.instance import UNLIMITED, Floats, Instance, Ints
from rombel.fit.report.batches import batches_of, nodes_of
from rombel.fit.search import _changes, _evening, _kernel, _opening, _padding, _plan
from rombel.fit.search._plan import NOWHERE, SLOTS, STEP, STOPPED, Counts, Data, Kept, Plan
from rombel.fit.search.budget import share_of_budget
from rombel.model.fit_solution import FitSolution, Landing, NodeBatch

MOSTLY = 0.9
"""A part of a node that a relaxation buys is rounded up to a whole one from here on."""
MOST_LOGGED = 2048
"""Nodes that a step may touch and still be taken back."""


@dataclass(frozen=True, slots=True)
class SearchParams:
    """How the search goes.

    Parameters
    ----------
    work
        Budget of placements looked at; the number of steps follows from it and the size of the problem, so
        that the same input takes the same steps on every machine.
    first_temperature, last_temperature
        Threshold for taking a worse answer, as a share of the cost of one node, at the start and at the end.
    most_emptied
        Most nodes emptied in one step.

    """

    work: int = 30_000_000
    first_temperature: float = 0.04
    last_temperature: float = 0.0004
    most_emptied: int = 4


@dataclass(frozen=True, slots=True)
class Prices:
    """What steers the search: worth of a replica (S, J, I) and of a unit of room (S, J, R), in each scenario."""

    replica_price: Floats
    room_price: Floats


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
        scenarios = len(instance.problem.zones) if instance.lands.any() else 1
        self._data = _data(instance, prices)
        self._plan = _empty_plan(instance, scenarios, slots)
        # One plan to work on, one best kept; of the state before a step only its sums, as nodes have the log.
        self._best, self._before = _kept(self._plan), _kept(self._plan, slots=1)
        self._seed, self._calls, self._steps = seed, 0, 0
        self._least = np.inf

    @property
    def stop_flag(self) -> Ints:
        """Return (1,) what is set to 1 to let the search end as soon as it can, from whatever thread."""
        return self._plan.top[STOPPED:]

    def construct(self, share: float = 0.8) -> None:
        """Place all that waits, in the rooms of the nodes that stand and on new ones."""
        self._outside()
        _kernel.recreate(self._data, self._plan, 0.0, 0.0, share, 1.0)
        self._settle()

    def round_off(self, nodes: Floats, loads: Floats) -> None:
        """Build a first answer from a relaxation's: its whole nodes with their even part of the loads, then the rest.

        ``nodes`` (J,) and ``loads`` (J, I) in parts.
        """
        self._outside()
        order = np.argsort(-self._data.size, kind="stable")
        bought = np.flatnonzero(nodes >= MOSTLY)
        # Limits on pools are used up in this order, so the largest go first.
        if self.instance.problem.limits.most_pools is not None:  # The largest pools are the ones to keep.
            bought = bought[np.argsort(-nodes[bought], kind="stable")]
        for offer in bought:
            if self._plan.top[STOPPED]:
                break
            # A node that the relaxation buys for the most part is bought; what is left over of an offer is not worth one of its own.
            whole = int(nodes[offer] + 1 - MOSTLY)
            places = [self._opened(int(offer)) for _ in range(whole)]
            slots = np.array([index for index in places if index != NOWHERE], np.int64)
            if not len(slots):
                continue
            # Rounded down: what is left over waits and is placed with everything else.
            counts = np.floor(loads[offer] * min(1.0, len(slots) / nodes[offer]) + 1e-6).astype(np.int64)
            _kernel.spread(self._data, self._plan, slots, order, counts)
        # The emptiest first: what waits is little by now, and in nearly full nodes it would find no room anyway.
        for node in np.argsort(-self._plan.slack[: self._plan.top[SLOTS]], kind="stable"):
            if self._plan.top[STOPPED]:
                break
            _opening.top_up(self._data, self._plan, int(node))
        self.construct()

    def _opened(self, offer: int) -> int:
        """Open a node where the limits allow one more, and return its place."""
        may = _plan.may_open(self._data, self._plan, offer)
        return int(_plan.open_node(self._data, self._plan, offer)) if may else NOWHERE

    def adopt(self, slots: Search) -> bool:
        """Take over an answer in which enough replicas stand, as one in which they land; return whether it served.

        In every class some of the standing replicas become the real ones, the others become kept-back room: with
        at least ``replicas`` places outside each zone, those of a lost zone always find one.
        """
        taken = slots._best
        alive = [int(node) for node in np.flatnonzero(taken.offer[: taken.top[SLOTS]] != NOWHERE)]
        # The searches were on problems with the same offers, so nodes can be compared by offer.
        real = _real_counts(self.instance, taken.zones)
        if real is None or slots.unplaced.any() or len(alive) > len(self._plan.offer):
            return False
        self._start_anew()
        holes = np.zeros_like(self._plan.base)
        left = real.copy()
        for node in alive:
            # Of the replicas that stood, those beyond what is asked for become holes: room for a landing.
            zone = self.instance.zone[taken.offer[node]]
            base = np.minimum(taken.base[node], left[:, zone])
            left[:, zone] -= base
            slot = _plan.open_node(self._data, self._plan, int(taken.offer[node]))
            holes[slot] = taken.base[node] - base
            for i in np.flatnonzero(base):
                _plan.put_base(self._data, self._plan, slot, int(i), int(base[i]))
        # Which of the standing replicas became real was chosen zone by zone, without a look at shares on interruptible nodes.
        if (self._plan.on_interruptible > self.instance.interruptible_most).any():
            self.restart()
            return False
        self._plan.wait[:] -= real.sum(axis=1)
        # What stood on top is room now, just where a replica of another zone can land in it.
        self._land_in(holes, real)
        self.construct(0.0)
        return not self.unplaced.any()

    def adopt_patterns(self, nodes: list[tuple[int, Ints]]) -> None:
        """Try an answer given as one (offer, load) for each node; what it leaves out is placed as usual."""
        self._start_anew()
        for offer, load in nodes[: len(self._plan.offer)]:
            if _plan.may_open(self._data, self._plan, offer):
                self._open_with(offer, load)
        self.construct(0.8)

    def stand(self, before: FitSolution) -> None:
        """Try another answer's nodes, with their replicas and landings as far as they are asked for and fit; place the rest."""
        self._start_anew()
        slots = len(self._plan.offer)
        offers, base, land = nodes_of(self.instance, before)
        _changes.stand(self._data, self._plan, offers[:slots], base[:slots], land[:slots])
        # Landings of the other answer are kept as far as they fit, since finding them took most of its time.
        self.construct()

    def _open_with(self, offer: int, load: Ints) -> None:
        """Open a node and put on it as much of the load as waits and fits."""
        slot = _plan.open_node(self._data, self._plan, offer)
        for i in np.flatnonzero(load):
            room = _plan.zone_room(self._data, self._plan, int(i), int(self.instance.zone[offer]))
            room = min(room, _plan.base_room(self._data, self._plan, slot, int(i)))
            count = min(int(load[i]), int(self._plan.wait[i]), room)
            if count > 0:
                _opening.put_waiting(self._data, self._plan, slot, int(i), count)

    def _land_in(self, holes: Counts, real: Ints) -> None:
        """Let the replicas of every zone land in the holes of the others; what finds none waits."""
        plan = self._plan
        zones = self.instance.zone[plan.offer]
        for i in np.flatnonzero(self.instance.lands):
            hosts = np.flatnonzero((holes[:, i] > 0) & (plan.offer != NOWHERE))
            if self._data.sure_landing[i]:
                hosts = hosts[~self.instance.interruptible[plan.offer[hosts]]]
            for scenario in np.flatnonzero(real[i]):
                count = int(real[i, scenario])
                # What lands from a zone uses the holes of all others, in order of slots.
                for node in hosts[zones[hosts] != scenario] if not plan.top[STOPPED] else ():
                    step = min(count, int(holes[node, i]))
                    if step:
                        _plan.put_landing(self._data, plan, int(node), int(scenario), int(i), step)
                    count -= step
                plan.wait_land[scenario, i] += count

    def set_prices(self, prices: Prices) -> None:
        """Steer by other prices from here on."""
        self._data = _data(self.instance, prices)

    def try_nodes(self, nodes: Floats, loads: Floats) -> None:
        """Try an answer built from whole nodes and loads in parts, in place of the one that stands."""
        self._start_anew()
        self.round_off(nodes, loads)

    @property
    def nodes(self) -> int:
        """Return the number of nodes of the best answer."""
        return int(self._best.nodes.sum())

    @property
    def steps(self) -> int:
        """Return how many steps the budget buys; large problems are given more of it."""
        return max(50, self.few_steps(share_of_budget(int(self.instance.total.sum()))))

    @property
    def work(self) -> float:
        """Return the whole budget of placements looked at."""
        return self.params.work * share_of_budget(int(self.instance.total.sum()))

    def few_steps(self, part: float) -> int:
        """Return how many steps a part of the budget buys, at least one."""
        replicas = int(self.instance.total.sum()) + 1
        # Work is placements looked at: nodes emptied times replicas moved times nodes looked at times scenarios.
        nodes = max(1, int(self._best.top[SLOTS]))
        moved = min(nodes, self.params.most_emptied / 2) * max(1.0, replicas / nodes)
        looked = min(nodes, _kernel.WINDOW) + 60
        return max(1, int(part * self.params.work / (moved * looked * self._plan.free.shape[1])))

    def improve(self, begin: float, end: float, steps: int) -> None:
        """Run steps; ``begin`` and ``end`` say where on the way from first to last temperature they stand."""
        first, last = self.params.first_temperature, self.params.last_temperature
        nodes = max(1, int(self._best.nodes.sum()))
        # A threshold is a share of the whole cost, and a step changes a few nodes: the more nodes, the smaller it must be.
        temperature = np.array([first * (last / first) ** begin, first * (last / first) ** end]) / nodes
        self._draw()
        # A neighbourhood never takes more than half of a small plan.
        most = max(2, min(self.params.most_emptied, int(self._plan.top[SLOTS]) // 2))
        # Steps are numbered on from chunk to chunk, and a window of an earlier one must not be taken for this one's.
        self._plan.in_window[:] = -1
        self._least = _kernel.improve(
            self._data, self._plan, self._before, self._best, self._least, temperature, self._steps + 1, steps, most
        )
        self._steps += steps

    def _draw(self) -> None:
        """Seed the compiled generator of this thread, anew at each call, so that threads do not matter."""
        _kernel.seed_random(self._seed * 7_919 + self._calls)
        self._calls += 1

    def _outside(self) -> None:
        """Prepare for changes that are no step: nothing is logged, all nodes are looked at."""
        self._draw()
        plan = self._plan
        # The slots stay; the rest of the counters begins anew.
        plan.top[STEP:STOPPED] = 0
        plan.in_window[:] = -1
        _kernel.open_window(plan, len(plan.offer))

    def _start_anew(self) -> None:
        """Take every node out of the plan; the best answer stays kept."""
        self._outside()
        plan = self._plan
        plan.dirty[:] = True
        plan.offer[:] = NOWHERE
        for counts in (
            plan.zones,
            plan.on_interruptible,
            plan.nodes,
            plan.pools,
            plan.used,
            plan.wait_land,
            plan.top[:STOPPED],
        ):
            counts[:] = 0
        plan.wait[:] = self.instance.total

    def _settle(self) -> None:
        """Tidy, and keep the plan as the best if it is."""
        _kernel.tidy(self._data, self._plan)
        spent = _padding.cost(self._data, self._plan)
        # Another start is only kept where it is cheaper; otherwise the search goes on from what it had.
        if spent < self._least:
            self._least = spent
            _plan.keep(self._plan, self._best)
        else:
            self.restart()

    def restart(self) -> None:
        """Go on from the best answer."""
        _plan.reload(self._data, self._plan, self._best)

    def grant_wishes(self) -> int:
        """Spread the classes that wish for it more evenly over zones where nodes have room; return how many replicas moved.

        Where replicas land nothing is moved: they are spread over zones as it is.
        """
        wish = np.array([w.zone_skew_wish or 0 for w in self.instance.workloads], np.int64)
        # Where replicas land their places are bound to the landings, and are not moved for a wish.
        if not wish.any() or self.instance.lands.any():
            return 0
        self.restart()
        self._outside()
        moves = int(_evening.grant_wishes(self._data, self._plan, wish))
        if moves:
            _plan.keep(self._plan, self._best)
        return moves

    def even_out(self, weight: Floats, most: int) -> int:
        """Fill the nodes of the best answer more evenly by at most so many moves at the same cost; return how many.

        ``weight`` (R,) says how much each resource counts.
        """
        self.restart()
        self._outside()
        moves = int(_evening.even_out(self._data, self._plan, weight / weight.sum(), most))
        if moves:
            _plan.keep(self._plan, self._best)
        return moves

    @property
    def unplaced(self) -> Ints:
        """Return (I,) replicas of the best answer without a place, or without a place to land."""
        waiting: Ints = self._best.wait + self._best.wait_land.sum(axis=0)
        return waiting

    @property
    def complete(self) -> bool:
        """Return whether the best answer places all replicas, and every pool and zone that runs has its fewest nodes."""
        # Pools and zones that run must have their fewest nodes too, or the plan is not allowed.
        limits, nodes = self.instance.problem.limits, self._best.nodes
        here, pools = nodes[nodes > 0], self._best.pools[self._best.pools > 0]
        per_zone, per_pool = limits.fewest_nodes_per_zone or 0, limits.fewest_nodes_per_pool or 0
        enough = (nodes >= self.instance.fewest).all() and (here >= per_zone).all() and (pools >= per_pool).all()
        return not self.unplaced.any() and bool(enough)

    @property
    def cost(self) -> int:
        """Return the cost of the best answer in whole-number prices."""
        return int((self._best.nodes * self.instance.price).sum())

    def answer(self) -> tuple[tuple[NodeBatch, ...], dict[str, tuple[Landing, ...]] | None]:
        """Return the best answer's nodes in groups, and where each zone's replicas land."""
        best, scenarios = self._best, range(self._best.land.shape[1])
        nodes = [int(node) for node in np.flatnonzero(best.offer[: best.top[SLOTS]] != NOWHERE)]
        return batches_of(
            self.instance,
            [
                (int(best.offer[n]), best.base[n].astype(np.int64), {s: best.land[n, s] for s in scenarios})
                for n in nodes
            ],
        )


def _real_counts(instance: Instance, slots: Ints) -> Ints | None:
    """Return (I, Z) how many of the places of each class and zone are real replicas; None when none serve."""
    real = np.zeros_like(slots)
    for i, total in enumerate(instance.total):
        if not instance.lands[i]:
            real[i] = slots[i]
            continue
        most = np.minimum(slots[i], instance.window[i, :, 1])
        # At least what each zone must have, then one by one where fewest are, so that counts stay even.
        real[i] = np.minimum(instance.window[i, :, 0], most)
        for _ in range(int(total - real[i].sum())):
            room = np.flatnonzero(real[i] < most)
            if not len(room):
                return None
            real[i, min(room, key=lambda zone: (real[i, zone], -slots[i, zone], zone))] += 1
        if (real[i] < instance.window[i, :, 0]).any():
            return None
    return real


def _data(instance: Instance, prices: Prices) -> Data:
    limits = instance.problem.limits
    bounds = [limits.most_pools or UNLIMITED, limits.fewest_nodes_per_pool or 0, limits.fewest_nodes_per_zone or 0]
    # Empty nodes are only ever added where some limit asks for them.
    pads = max(bounds[1:]) > 1 or limits.equal_zones or instance.fewest.any()
    bounds += [int(limits.equal_zones), int(instance.apart.any()), int(pads)]
    room = np.einsum("sjr,ir->sji", prices.room_price, instance.request)
    replica_price, room_price_sum = prices.replica_price.sum(axis=0), prices.room_price.sum(axis=0)
    # What all scenarios pay for a node of this offer, against its price: near 1 it is worth buying, far below hardly.
    states_pay = (room_price_sum * instance.capacity).sum(axis=1) / np.maximum(instance.cost, 1e-9)
    appeal = np.clip((states_pay - 0.7) / 0.3, 0.03, 1.0) ** 3
    return Data(
        request=instance.request.copy(),
        capacity=instance.capacity.copy(),
        price=instance.cost.copy(),
        zone=instance.zone.copy(),
        pool=instance.pool.copy(),
        quota=instance.quota.copy(),
        fewest=instance.fewest.copy(),
        per_node=instance.per_node.copy(),
        total=instance.total.copy(),
        window=instance.window.copy(),
        lands=instance.lands.copy(),
        sure_landing=np.array([0 < w.interruptible_share < 1 for w in instance.workloads], np.bool_),
        interruptible=instance.interruptible.copy(),
        interruptible_most=instance.interruptible_most.copy(),
        # A class is as large as the most it is worth anywhere.
        size=replica_price.max(axis=0, initial=0.0),
        replica_price=np.ascontiguousarray(replica_price),
        room_price=np.ascontiguousarray(prices.room_price),
        room_price_sum=np.ascontiguousarray(room_price_sum),
        reduced_cost=np.maximum(room.sum(axis=0) - replica_price, 0.0),
        landing_reduced_cost=np.maximum(room - prices.replica_price, 0.0),
        appeal=appeal,
        full=(room_price_sum * instance.capacity).sum(axis=1),
        best_replica_price=replica_price.max(axis=0, initial=0.0),
        apart=instance.apart.copy(),
        shared_use=instance.shared_use.copy(),
        shared_most=instance.shared_most.copy(),
        limits=np.array(bounds, np.int64),
    )


def _empty_plan(instance: Instance, scenarios: int, slots: int) -> Plan:
    offers, classes = instance.per_node.shape
    width, zones = instance.request.shape[1], len(instance.problem.zones)
    # Without landing there is one scenario, and no arrays for landings at all.
    landings, logged = (scenarios if scenarios > 1 else 0), min(slots, MOST_LOGGED)
    return Plan(
        offer=np.full(slots, NOWHERE, np.int64),
        free=np.zeros((slots, scenarios, width), np.int64),
        least=np.zeros((slots, width), np.int64),
        slack=np.zeros(slots),
        held=np.zeros(slots, np.int64),
        base=np.zeros((slots, classes), np.int16),
        land=np.zeros((slots, landings, classes), np.int16),
        zones=np.zeros((classes, zones), np.int64),
        on_interruptible=np.zeros(classes, np.int64),
        nodes=np.zeros(offers, np.int64),
        pools=np.zeros(int(instance.pool.max(initial=0)) + 1, np.int64),
        used=np.zeros(len(instance.shared_most), np.int64),
        wait=instance.total.copy(),
        wait_land=np.zeros((scenarios, classes), np.int64),
        top=np.zeros(6, np.int64),
        stamp=np.zeros(slots, np.int64),
        dirty=np.zeros(slots, np.bool_),
        window=np.zeros(slots, np.int64),
        in_window=np.full(slots, -1, np.int64),
        log_node=np.zeros(logged, np.int64),
        log_offer=np.zeros(logged, np.int64),
        log_free=np.zeros((logged, scenarios, width), np.int64),
        log_base=np.zeros((logged, classes), np.int16),
        log_land=np.zeros((logged, landings, classes), np.int16),
    )


def _kept(plan: Plan, slots: int | None = None) -> Kept:
    """Return room for the best of a plan; with ``slots`` for its sums alone."""
    size = len(plan.offer) if slots is None else slots
    return Kept(
        offer=np.full(size, NOWHERE, np.int64),
        base=np.zeros((size, *plan.base.shape[1:]), np.int16),
        land=np.zeros((size, *plan.land.shape[1:]), np.int16),
        zones=plan.zones.copy(),
        on_interruptible=plan.on_interruptible.copy(),
        nodes=plan.nodes.copy(),
        pools=plan.pools.copy(),
        used=plan.used.copy(),
        wait=plan.wait.copy(),
        wait_land=plan.wait_land.copy(),
        top=plan.top.copy(),
    )
