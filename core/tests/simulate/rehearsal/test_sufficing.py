"""Limits that hold: the promise is kept under them, none that was tried is cheaper, and the confidence is that of exact tables."""

import unittest
from dataclasses import replace
from decimal import Decimal
from itertools import product

from rombel.model.fit_problem import Offer, Purchase, Workload
from rombel.model.rehearsal import PoolRange, Rehearsal, ReplicaScaling
from rombel.simulate.rehearsal import Planned, Promise, limits_that_hold, rehearse, rise_within
from rombel.simulate.rehearsal.limits import sure_percent
from tests.simulate.rehearsal.test_playing import START_S, load, plan, ranges

KEY = ("node", Purchase.ON_DEMAND, "amber")


class TestLimitsThatHold(unittest.TestCase):
    def setUp(self) -> None:
        self.problem, self.solution = plan(2, [("amber", {"w/a": 2})], Workload("w/a", 2, (1,)))
        values = [2.0] * 12 + [9.0] * 4 + [2.0] * 12 + [5.0] * 6 + [2.0] * 14
        self.rehearsal = Rehearsal(
            START_S, 300, 48, (load(values),), {"w/a": ReplicaScaling(1, 20)}, ranges(PoolRange(1, 2))
        )

    def test_the_cheapest_of_all_that_can_be_tried_in_one_pool_is_found(self) -> None:
        roomy = replace(self.rehearsal, ranges={KEY: PoolRange(7, 7)})
        floor = 100 * rehearse(self.problem, self.solution, roomy).share("late")
        for percent in (floor + 0.1, floor + 2.0, floor + 5.0):
            found = limits_that_hold(
                self.problem, self.solution, self.rehearsal, Promise(percent), {KEY: Planned(1, 2)}, {KEY: 7}, runs=2
            )
            costs = []
            for nodes, kept_back in product(range(1, 8), range(3)):
                tried = replace(self.rehearsal, ranges={KEY: PoolRange(nodes, 7, kept_back)})
                shown = rehearse(self.problem, self.solution, tried)
                if 100 * shown.share("late") <= percent:
                    costs.append(shown.total)
            (limit,) = found.limits
            kept = replace(self.rehearsal, ranges={KEY: limit.range})
            played = rehearse(self.problem, self.solution, kept)
            self.assertLessEqual(100 * played.share("late"), percent)
            self.assertEqual(played.total, min(costs))
            self.assertEqual((found.held, found.runs), (2, 2))
            late = [trial.late_share for trial in found.trials]
            self.assertEqual(late, sorted(late, reverse=True))

    def test_nodes_that_run_long_enough_are_committed_to_and_no_other_number_of_them_is_cheaper(self) -> None:
        committed = ("node", Purchase.COMMITTED, "amber")
        for price, promise in (("0.3", 6.0), ("0.6", 6.0), ("0.95", 6.0)):
            (entry,) = self.problem.instance_types
            sold = Offer("amber", Purchase.COMMITTED, Decimal(price))
            problem = replace(self.problem, instance_types=(replace(entry, offers=(*entry.offers, sold)),))
            found = limits_that_hold(
                problem, self.solution, self.rehearsal, Promise(promise), {KEY: Planned(1, 2)}, {KEY: 7}, runs=2
            )
            self.assertEqual((found.held, found.runs), (2, 2))
            for count in range(8):
                ways = {KEY: PoolRange(1, 7), committed: PoolRange(count, count)}
                shown = rehearse(problem, self.solution, replace(self.rehearsal, ranges=ways))
                if promise >= 100 * shown.share("late"):
                    self.assertLessEqual(found.cost, shown.total + Decimal("0.01"), (price, count))

    def test_interruptible_nodes_are_taken_where_they_are_cheaper_allowed_and_known_to_be_taken_back(self) -> None:
        (entry,) = self.problem.instance_types
        sold = Offer("amber", Purchase.INTERRUPTIBLE, Decimal("0.2"))
        key = entry.key(sold)
        for share, known in product((0.0, 1.0), (False, True)):
            workload = replace(self.problem.workloads[0], interruptible_share=share)
            types = (replace(entry, offers=(*entry.offers, sold)),)
            problem = replace(self.problem, instance_types=types, workloads=(workload,))
            rehearsal = replace(self.rehearsal, taken_back={key: 0.001} if known else {})
            found = limits_that_hold(problem, self.solution, rehearsal, Promise(50.0), {}, {KEY: 7}, runs=2)
            self.assertEqual(any(limit.offer == key for limit in found.limits), known and share == 1.0)

    def test_demand_rises_by_hand_within_the_start_of_a_node(self) -> None:
        params = replace(self.rehearsal.params, look_out_s=0, node_start_s=300)
        rise = rise_within(replace(self.rehearsal, params=params), self.problem, percentile=100)
        # From 2 to 9 replicas, of 9 at most; two steps of the series are no longer than a node's start of twice as long.
        self.assertAlmostEqual(rise.share, 7 / 9)
        climbing = replace(self.rehearsal, params=params, loads=(load([1.0, 3.0, 5.0, 7.0] * 12),))
        self.assertAlmostEqual(rise_within(climbing, self.problem, 50).share, 2 / 7)
        longer = replace(climbing, params=replace(params, node_start_s=600))
        self.assertAlmostEqual(rise_within(longer, self.problem, 50).share, 3 / 7)

    def test_where_no_limits_of_pools_help_it_says_so_and_gives_none(self) -> None:
        stuck = replace(self.rehearsal, scalings={"w/a": ReplicaScaling(1, 3)})
        found = limits_that_hold(self.problem, self.solution, stuck, Promise(0.1), {}, {KEY: 7})
        self.assertEqual(found.limits, ())
        self.assertIn("not limits of pools", found.reason)

    def test_a_stop_keeps_limits_that_hold(self) -> None:
        found = limits_that_hold(
            self.problem,
            self.solution,
            self.rehearsal,
            Promise(50.0),
            {},
            {KEY: 7},
            on_progress=lambda phase, share: True,
        )
        self.assertEqual((found.held, found.runs), (1, 1))

    def test_confidence_is_that_of_published_tables(self) -> None:
        # 59 trials without a failure show 95 % with 95 % confidence, 22 show 87 % (success run theorem; reliability handbooks, from memory).
        self.assertLess(sure_percent(58, 58), 95.0)
        self.assertGreater(sure_percent(59, 59), 95.0)
        self.assertAlmostEqual(sure_percent(20, 20), 100 * 0.05 ** (1 / 20), 6)
        # Clopper and Pearson 1934, Biometrika 26:404-413: of 10 trials 9 held, one-sided 95 %: 0.6058.
        self.assertAlmostEqual(sure_percent(9, 10), 60.58, 2)
        self.assertEqual(sure_percent(0, 5), 0.0)
