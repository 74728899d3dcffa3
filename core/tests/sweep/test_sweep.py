"""A sweep asks every combination once, and says of its answers what published examples say of theirs."""

import math
import random
import unittest
from dataclasses import replace
from decimal import Decimal

import numpy as np

from rombel.errors import InputRefused
from rombel.fit import fit
from rombel.model.fit_problem import Purchase
from rombel.model.study import HEADROOM
from rombel.sweep import (
    Choice,
    Driver,
    Known,
    Spread,
    SweepPlan,
    Unknown,
    amounts,
    brought,
    draw,
    drivers,
    outcomes,
    read_sentence,
    told,
)
from tests.problems import QUICK, items, problem

KNOWN = Known(("reference", "cheap, by day", "wide"), ("north-sound", "east-fjord"), "wide", Spread(
    Decimal(0), Decimal(60), Decimal(20), Decimal(8)))  # fmt: skip


def shares(found: list[Driver]) -> dict[str, float]:
    return {str(driver.name): driver.share for driver in found}


class TestSentence(unittest.TestCase):
    def test_every_combination_is_asked_once_and_neighbours_differ_in_the_future(self) -> None:
        text = 'demand -10, 0, 20 % by Interruptible prices 0 to 50 step 25 % by variants reference, "cheap, by day" by promise none, reserved room'
        plan = read_sentence(text, KNOWN)
        self.assertEqual((plan.choice_count, plan.future_count, plan.size), (4, 9, 36))
        self.assertEqual(
            told(plan), "36 fits: 2 variants × 2 promises × 3 steps of demand × 3 steps of interruptible prices"
        )
        points = [plan.point(number) for number in range(plan.size)]
        self.assertEqual(len({(str(p.chosen), str(p.brings)) for p in points}), 36)
        self.assertEqual(points[0].chosen, {Choice.VARIANT: "reference", Choice.PROMISE: "none"})
        self.assertEqual(points[8].chosen, points[0].chosen)
        self.assertEqual(points[8].brings, {Unknown.DEMAND: Decimal(20), Unknown.INTERRUPTIBLE: Decimal(50)})
        self.assertEqual([(p.choice, p.future) for p in points], [divmod(number, 9) for number in range(36)])

    def test_futures_are_drawn_once_from_equal_parts_and_join_with_every_step_and_choice(self) -> None:
        text = "40 futures of demand 0 to 40 % likely 10 and prices -10 to 30 % by growth 0, 25 % by variants all"
        plan = read_sentence(text, KNOWN, seed=7)
        self.assertEqual((plan.draws, plan.size), (40, 240))
        self.assertEqual(read_sentence(text, KNOWN, seed=7), plan)
        self.assertNotEqual(read_sentence(text, KNOWN, seed=8).drawn, plan.drawn)
        # Of as many parts of equal probability each has one draw.
        for part, value in enumerate(sorted(plan.drawn[Unknown.PRICES])):
            self.assertLessEqual(abs(float(value) + 10 - (part + 0.5)), 0.55)  # A twentieth for the rounding to tenths.
        pairs = {(p.brings[Unknown.DEMAND], p.brings[Unknown.PRICES]) for p in map(plan.point, range(plan.size))}
        self.assertEqual(pairs, set(zip(plan.drawn[Unknown.DEMAND], plan.drawn[Unknown.PRICES], strict=True)))
        self.assertTrue(
            all(
                value == int(value)
                for value in read_sentence("9 futures of growth as measured", KNOWN).drawn[Unknown.GROWTH]
            )
        )

    def test_a_triangular_and_a_normal_spread_have_the_moments_that_books_give_them(self) -> None:
        # Mean (a + b + c) / 3 and variance (a2 + b2 + c2 - ab - ac - bc) / 18 of the triangular one (Kotz and van Dorp 2004,
        # Beyond Beta, chapter 1; from memory).
        low, high, likely = -10.0, 50.0, 5.0
        spreads = {
            Unknown.DEMAND: Spread(Decimal(-10), Decimal(50), Decimal(5)),
            Unknown.PRICES: Spread(Decimal(-80), Decimal(90), Decimal(4), Decimal(6)),
        }
        drawn = draw(spreads, 1000, 3)
        values = np.array([float(value) for value in drawn[Unknown.DEMAND]])
        variance = (low**2 + high**2 + likely**2 - low * high - low * likely - high * likely) / 18
        self.assertAlmostEqual(values.mean(), (low + high + likely) / 3, delta=0.05)
        self.assertAlmostEqual(values.var(), variance, delta=0.01 * variance)
        values = np.array([float(value) for value in drawn[Unknown.PRICES]])
        self.assertAlmostEqual(values.mean(), 4, delta=0.05)
        self.assertAlmostEqual(values.std(), 6, delta=0.1)

    def test_what_says_nothing_is_refused_with_its_part_and_what_to_write(self) -> None:
        for text, said in (
            ("", "characters"),
            ("the future", "says nothing"),
            ("demand 0 to 40 %", "which values between"),
            ("demand 1, x %", "'x' is no change"),
            ("demand -95 %", "out of what"),
            ("demand 0, 0 %", "twice"),
            ("demand 0 % by demand 5 %", "twice"),
            ("growth 2.5 %", "whole"),
            ("growth -5 %", "out of what"),
            ("variants nobody", "no variant 'nobody'"),
            ("promise luck", "no promise"),
            ("5000 futures of demand 0 to 40 %", "cannot be drawn"),
            ("10 futures of demand 40 to 0 %", "no range"),
            ("10 futures of demand as measured", "Only growth"),
            ("demand 0 to 100 step 0.1 % by variants all", "3,003 fits"),
            ("demand 5 to 1 step 1 %", "no steps"),
        ):
            with self.subTest(text=text), self.assertRaises(InputRefused) as refused:
                read_sentence(text, KNOWN)
            (fault,) = refused.exception.faults
            self.assertIn(said, fault.reason)
            self.assertTrue(fault.fix)
        with self.assertRaises(InputRefused):
            read_sentence("5 futures of growth as measured", replace(KNOWN, measured=None))


class TestPoint(unittest.TestCase):
    def test_a_future_changes_replicas_and_prices_and_nothing_else(self) -> None:
        own = problem([("auk", (8,), "1.5"), ("tern", (16,), "2.9")], items({(2,): 5, (3,): 4}))
        rows = (replace(own.workloads[0], must_stand=4, stands={"amber": 5}), replace(own.workloads[1], name=HEADROOM))
        own = replace(own, workloads=rows)
        less = replace(own.instance_types[1], offers=tuple(
            replace(offer, purchase=Purchase.INTERRUPTIBLE) for offer in own.instance_types[1].offers))  # fmt: skip
        own = replace(own, instance_types=(own.instance_types[0], less))
        self.assertEqual(brought(own, {}), own)
        after = brought(
            own, {Unknown.DEMAND: Decimal("10.5"), Unknown.PRICES: Decimal(20), Unknown.INTERRUPTIBLE: Decimal(-50)}
        )
        first, room = after.workloads
        self.assertEqual((first.replicas, first.must_stand, first.stands), (6, 5, {}))
        self.assertEqual(room, rows[1])
        prices = [offer.price_per_hour for entry in after.instance_types for offer in entry.offers]
        self.assertEqual(prices, [Decimal("1.8"), Decimal("1.74")])
        self.assertEqual(replace(after, workloads=own.workloads, instance_types=own.instance_types), own)

    def test_dearer_nodes_make_the_same_plan_dearer_and_less_demand_never_costs_more(self) -> None:
        own = problem(
            [("auk", (8,), "1.5"), ("tern", (16,), "2.9")],
            items({(2,): 9, (3,): 4}),
            survive="landing",
            zones=("amber", "birch"),
        )
        cost = {
            (demand, price): fit(
                brought(own, {Unknown.DEMAND: Decimal(demand), Unknown.PRICES: Decimal(price)}), params=QUICK
            ).cost_per_hour
            for demand in (-50, 0, 50)
            for price in (0, 20)
        }
        for demand in (-50, 0, 50):
            self.assertEqual(cost[demand, 20], cost[demand, 0] * Decimal("1.2"))
        self.assertLessEqual(cost[-50, 0], cost[0, 0])
        self.assertLessEqual(cost[0, 0], cost[50, 0])


class TestAnswers(unittest.TestCase):
    def grid(self, plan: SweepPlan, cost: object) -> np.ndarray:
        return amounts([(n, float(cost(plan.point(n)))) for n in range(plan.size)], plan)  # type: ignore[operator]

    def test_the_function_of_ishigami_is_driven_as_published(self) -> None:
        # Ishigami and Homma 1990, "An importance quantification technique in uncertainty analysis", ISUMA 90: with a = 7 and b = 0.1
        # the first-order indices are 0.3139, 0.4424 and 0 (Saltelli and others 2008, Global Sensitivity Analysis; from memory).
        rng = random.Random(5)
        names = (Unknown.DEMAND, Unknown.PRICES, Unknown.INTERRUPTIBLE)
        scale = Decimal("1e-6")
        drawn = {
            name: tuple(Decimal(rng.uniform(-math.pi, math.pi)).quantize(scale) for _ in range(20_000))
            for name in names
        }

        def ishigami(point: object) -> float:
            x = [float(point.brings[name]) for name in names]  # type: ignore[attr-defined]
            return math.sin(x[0]) + 7 * math.sin(x[1]) ** 2 + 0.1 * x[2] ** 4 * math.sin(x[0])

        plan = SweepPlan({Choice.VARIANT: ("one",)}, {}, drawn)
        found = shares(drivers(plan, self.grid(plan, ishigami)))
        for name, published in zip(names, (0.3139, 0.4424, 0.0), strict=True):
            self.assertAlmostEqual(found[name], published, delta=0.025)

    def test_shares_of_an_additive_cost_are_exact_sum_to_one_and_know_no_currency(self) -> None:
        plan = read_sentence("demand 0, 10, 20 % by prices 0, 10 % by variants reference, wide", KNOWN)

        def cost(point: object) -> float:
            demand, price = (float(value) for value in point.brings.values())  # type: ignore[attr-defined]
            return 1000 + 3 * demand + price + 40 * (point.choice == 1)  # type: ignore[attr-defined]

        found = shares(drivers(plan, self.grid(plan, cost)))
        # Variances of three values in steps of 30, and of two that are 10 and 40 apart.
        parts = {"demand": 600.0, "prices": 25.0, "variants": 400.0}
        for name, variance in parts.items():
            self.assertAlmostEqual(found[name], variance / sum(parts.values()), places=12)
        in_crowns = shares(drivers(plan, 11.5 * self.grid(plan, cost)))
        for name in parts:
            self.assertAlmostEqual(in_crowns[name], found[name], places=12)
        # What is the same everywhere is driven by nothing, and where a point has no plan nothing is said.
        self.assertEqual(drivers(plan, np.full((2, 6), 7.0)), [])
        holed = self.grid(plan, cost)
        holed[0, 0] = np.nan
        self.assertEqual(drivers(plan, holed), [])

    def test_what_one_quantity_alone_drives_is_told_from_few_draws(self) -> None:
        plan = read_sentence("40 futures of demand 0 to 40 % likely 10 and prices -10 to 30 %", KNOWN, seed=2)
        found = shares(drivers(plan, self.grid(plan, lambda point: 900 + 11 * float(point.brings[Unknown.DEMAND]))))
        self.assertGreater(found["demand"], 0.999)
        self.assertLess(found["prices"], 0.2)

    def test_chance_explains_nothing(self) -> None:
        rng = random.Random(11)
        drawn = {Unknown.DEMAND: tuple(Decimal(n) for n in range(200))}
        plan = SweepPlan({Choice.VARIANT: ("one",)}, {}, drawn)
        found = [drivers(plan, self.grid(plan, lambda _: rng.gauss(100, 5)))[0].share for _ in range(40)]
        self.assertLess(sum(found) / len(found), 0.03)

    def test_regret_is_that_of_the_textbook_table(self) -> None:
        # Returns of stocks, bonds and a deposit while rates rise, stay and fall: worst regrets 7, 5 and 11, so bonds (a common textbook
        # example of minimax regret; from memory). Costs are returns with the other sign.
        cost = -np.array([[-4.0, 4.0, 12.0], [-2.0, 3.0, 8.0], [3.0, 2.0, 1.0]])
        every = np.ones((3, 3), dtype=bool)
        found = outcomes(cost, cost, every)
        self.assertEqual([outcome.worst_regret for outcome in found], [7.0, 5.0, 11.0])
        self.assertEqual([outcome.worst_future for outcome in found], [0, 0, 2])
        self.assertEqual([outcome.cheapest for outcome in found], [2, 0, 1])
        self.assertEqual([outcome.sure_regret for outcome in found], [7.0, 5.0, 11.0])
        # A dearer world changes no regret, and a floor below the cost proves less of it.
        self.assertEqual([each.worst_regret for each in outcomes(cost + 100, cost + 100, every)], [7.0, 5.0, 11.0])
        self.assertEqual([each.sure_regret for each in outcomes(cost, cost - 6, every)], [1.0, 0.0, 5.0])

    def test_a_choice_without_a_plan_where_others_have_one_is_never_called_safe(self) -> None:
        cost = np.array([[10.0, np.nan, 30.0], [11.0, 25.0, 31.0]])
        answered = np.array([[True, True, True], [True, True, True]])
        first, second = outcomes(cost, cost, answered)
        self.assertEqual((first.worst_regret, first.mean_regret, first.planned, first.unplanned), (None, None, 2, 1))
        self.assertEqual((second.worst_regret, second.cheapest), (1.0, 1))
        # What is not computed yet is compared with nothing.
        answered[0, 1] = False
        first, second = outcomes(cost, cost, answered)
        self.assertEqual((first.worst_regret, second.worst_regret, first.unplanned), (0.0, 1.0, 0))
        self.assertEqual(outcomes(np.full((1, 2), np.nan), np.full((1, 2), np.nan), answered[:1, :2])[0].mean, None)
