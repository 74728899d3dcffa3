"""The compiled state of the search tells, after anything done or taken back, what its nodes and replicas really add up to."""

import json
import random
from unittest import TestCase

import numpy as np

from rombel.fit.bounds.aggregation import relax
from rombel.fit.bounds.linking import build_linking
from rombel.fit.problem.building import build_instance
from rombel.fit.search import _evening, _kernel, _opening, _padding, _plan
from rombel.fit.search.ruin_and_recreate import Prices, Search, SearchParams
from rombel.formats import read_problem
from tests.problems import random_value

NOWHERE, SLOTS, LOGGED = _plan.NOWHERE, _plan.SLOTS, _plan.LOGGED


def search_of(seed: int, survive: str) -> Search | None:
    """Return a search with a first answer to a random problem; None where that has no relaxation."""
    stated = random_value(seed, survive)
    for entry in stated["workloads"]:
        # More replicas than fit on a node or two, so that steps have something to move.
        entry["replicas"] *= 4
    instance = build_instance(read_problem(json.dumps(stated)))
    found = relax(build_linking(instance))
    if not found.feasible:
        return None
    prices = Prices(np.ascontiguousarray(found.replica_price), np.ascontiguousarray(found.room_price))
    search = Search(instance, prices, 64, seed, SearchParams(work=100_000))
    search.construct()
    return search


def searches(count: int) -> list[Search]:
    """Return searches on random problems, half of them with landing."""
    found = (search_of(seed, ("none", "landing")[seed % 2]) for seed in range(count))
    return [search for search in found if search is not None]


def state(plan: _plan.Plan) -> list[np.ndarray]:
    """Return a copy of everything that a step may change, but what only belongs to closed slots."""
    # What a closed slot holds is overwritten when it is opened again, and means nothing before.
    open_slots = plan.offer != NOWHERE
    whole = [
        plan.offer,
        plan.zones,
        plan.on_interruptible,
        plan.nodes,
        plan.pools,
        plan.used,
        plan.wait,
        plan.wait_land,
    ]
    by_slot = (plan.base, plan.land, plan.free, plan.held, plan.least)
    return [np.array(part) for part in whole] + [np.array(part[open_slots]) for part in by_slot]


class TestState(TestCase):
    def assert_adds_up(self, search: Search) -> None:
        """Assert that every sum and every free room is that of the replicas on the nodes."""
        data, plan, instance = search._data, search._plan, search.instance
        slots = [int(slot) for slot in np.flatnonzero(plan.offer != NOWHERE)]
        self.assertTrue(all(slot < plan.top[SLOTS] for slot in slots))
        placed = np.zeros_like(plan.zones)
        for slot in slots:
            offer, zone = plan.offer[slot], data.zone[plan.offer[slot]]
            placed[:, zone] += plan.base[slot]
            # Counted from the replicas anew, with nothing but sums: the kernel keeps each of these up to date by differences.
            self.assertEqual(plan.held[slot], plan.base[slot].sum() + plan.land[slot].sum())
            for scenario in range(plan.free.shape[1]):
                # In the scenario of its own zone's loss a node carries nothing, as it is gone.
                there = plan.free.shape[1] == 1 or scenario != zone
                carried = plan.base[slot] + (plan.land[slot, scenario] if plan.land.shape[1] else 0)
                room = data.capacity[offer] - (carried @ data.request if there else 0)
                np.testing.assert_array_equal(plan.free[slot, scenario], room)
                self.assertTrue((room >= 0).all())
        np.testing.assert_array_equal(plan.zones, placed)
        np.testing.assert_array_equal(plan.wait, instance.total - placed.sum(axis=1))
        np.testing.assert_array_equal(plan.nodes, np.bincount(plan.offer[slots], minlength=len(data.price)))
        for i in np.flatnonzero(data.lands):
            for lost in range(plan.land.shape[1]):
                landed = sum(int(plan.land[slot, lost, i]) for slot in slots)
                # Every replica of the lost zone has landed somewhere or still waits to.
                self.assertEqual(landed + plan.wait_land[lost, i], placed[i, lost])
                self.assertTrue(all(plan.land[s, lost, i] == 0 for s in slots if data.zone[plan.offer[s]] == lost))

    def test_any_number_of_steps_leaves_sums_and_rooms_that_add_up(self) -> None:
        tried = searches(16)
        self.assertGreater(len(tried), 8)
        for search in tried:
            for _ in range(3):
                search.improve(0.0, 1.0, 40)
                self.assert_adds_up(search)

    def test_a_step_taken_back_leaves_no_trace(self) -> None:
        for search in searches(12):
            data, plan, before = search._data, search._plan, search._before
            for step in range(1, 30):
                plan.in_window[:] = -1
                known = state(plan)
                _plan.begin_step(plan, before, step)
                _kernel.open_window(plan, 240)
                _kernel.ruin(data, plan, 3)
                _kernel.recreate(data, plan, 0.2, 0.1, (0.0, 0.7)[step % 2], 0.5)
                _kernel.tidy(data, plan)
                self.assertTrue(_plan.undo_step(data, plan, before))
                for was, now in zip(known, state(plan), strict=True):
                    np.testing.assert_array_equal(was, now)

    def test_a_node_says_how_many_more_it_takes_and_takes_no_more(self) -> None:
        rng = random.Random(3)
        for search in searches(10):
            data, plan = search._data, search._plan
            plan.top[_plan.STEP] = 0
            for slot in np.flatnonzero(plan.offer != NOWHERE).tolist():
                i = rng.randrange(len(data.request))
                room = _plan.base_room(data, plan, slot, i)
                held = np.array(plan.base[slot])
                if room > 0:
                    _plan.put_base(data, plan, slot, i, room)
                    self.assertTrue((plan.least[slot] >= 0).all())
                    self.assertEqual(_plan.base_room(data, plan, slot, i), 0)
                    _plan.put_base(data, plan, slot, i, -room)
                np.testing.assert_array_equal(plan.base[slot], held)

    def test_the_cost_is_that_of_the_nodes_and_outweighed_by_one_replica_without_a_place(self) -> None:
        for search in searches(10):
            data, plan = search._data, search._plan
            paid = float((plan.nodes * data.price).sum())
            waits = int(plan.wait.sum() + plan.wait_land.sum())
            if not waits:
                self.assertAlmostEqual(_padding.cost(data, plan), paid)
                plan.wait[0] += 1
                self.assertGreater(_padding.cost(data, plan), 1e6 * paid)

    def test_evening_moves_only_inside_a_zone_and_never_makes_nodes_less_even(self) -> None:
        for search in searches(12):
            data, plan = search._data, search._plan
            plan.top[_plan.STEP] = 0
            weight = np.full(data.request.shape[1], 1 / data.request.shape[1])
            full = _evening.fullness(data, plan, weight)[plan.offer[: plan.top[SLOTS]] != NOWHERE]
            zones = np.array(plan.zones)
            _evening.even_out(data, plan, weight, 50)
            after = _evening.fullness(data, plan, weight)[plan.offer[: plan.top[SLOTS]] != NOWHERE]
            np.testing.assert_array_equal(plan.zones, zones)
            self.assertLessEqual(after.var(), full.var() + 1e-9)
            self.assert_adds_up(search)

    def test_a_node_filled_for_a_replica_gives_at_least_as_much_for_its_price_as_one_for_it_alone(self) -> None:
        for search in searches(8):
            data, plan = search._data, search._plan
            search._start_anew()
            order = np.argsort(-data.size)
            first = int(order[0])
            self.assertTrue(_opening.open_filled(data, plan, first, order, 0.0, 1.0))
            slot = int(np.flatnonzero(plan.offer != NOWHERE)[0])
            earned = float(plan.base[slot] @ data.replica_price[plan.offer[slot]]) / data.price[plan.offer[slot]]
            waiting = min(int(plan.wait[first]) + int(plan.base[slot, first]), 10**6)
            alone = np.minimum(data.per_node[:, first], waiting) * data.replica_price[:, first] / data.price
            if not data.lands.any():
                self.assertGreaterEqual(earned, 0.9 * float(alone.max()))
