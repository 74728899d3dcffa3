"""Prices of promises, alternatives to the chosen types and conflicts are what fitting anew, or a changed price, shows them to be."""

import unittest
from dataclasses import replace
from decimal import Decimal
from fractions import Fraction
from itertools import pairwise

from rombel.fit import check, fit
from rombel.inquiry import (
    AlternativeStatus,
    Design,
    alternatives,
    conflict,
    design,
    price_promises,
    rules_apart,
    rules_of,
)
from rombel.inquiry.nesting import are_nested
from rombel.model.demand import Level
from rombel.model.fit_problem import (
    FitProblem,
    InstanceType,
    Limits,
    NodeLoss,
    Offer,
    Purchase,
    Quota,
    Survival,
    Workload,
)
from rombel.model.fit_solution import FitStatus
from tests.problems import QUICK, items, problem


def everything() -> FitProblem:
    """Return a problem that states every rule there is."""
    offers = [
        Offer(zone, kind, Decimal(2), 50) for zone in "ab" for kind in (Purchase.ON_DEMAND, Purchase.INTERRUPTIBLE)
    ]
    types = tuple(InstanceType(name, (8, 8), tuple(offers)) for name in ("t", "u"))
    first = Workload("n/v", 4, (1, 1), frozenset("t"), frozenset("ab"), 3, 1, False, 0.5, node_skew=3, stands={"a": 1})
    quota = Quota("all", 60)
    limits = Limits(5, 2, 2, True, (quota,))
    second = Workload("n/w", 2, (2, 1), apart=frozenset({"n/v"}), equal_zones=True)
    return FitProblem(
        "EUR", ("a", "b"), ("x", "y"), (0, 0), types, (first, second), Survival.STANDING, limits,
        NodeLoss(1, Survival.STANDING),
    )  # fmt: skip


class TestPromises(unittest.TestCase):
    def test_dropping_every_rule_one_after_the_other_leaves_none(self) -> None:
        for listed in (rules_of, rules_apart):
            left, rules = everything(), listed(everything())
            self.assertEqual(len({rule.key for rule in rules}), len(rules))
            for rule in rules:
                self.assertIn(rule.key, {other.key for other in listed(left)})
                left = rule.dropped(left)
                self.assertNotIn(rule.key, {other.key for other in listed(left)})
        plain = [rule.key for rule in rules_of(everything())]
        self.assertLess({"survive_zone", "survive_nodes", "most_pools", "equal_zones", "spread", "apart"}, set(plain))

    def test_the_price_of_spread_is_that_of_two_nodes_by_hand(self) -> None:
        """Four replicas, two a node, 95 each: spread over three zones takes three nodes, pooled takes two.

        The outcome by hand as in the catalogue of checks: 2/1/1 costs 285, pooled 190.
        """
        asked = problem(
            [("t", (3920, 14336), "95")],
            [{"name": "n/w", "replicas": 4, "request": {"c": 1500, "m": 2048}, "zone_skew": 1}],
            zones=("a", "b", "c"),
            resources=("c", "m"),
        )
        solution = fit(asked)
        (price,) = price_promises(asked, solution)
        self.assertEqual((price.key, price.price_per_hour, price.without_per_hour), ("spread", 95, 190))
        self.assertEqual((price.least_per_hour, price.most_per_hour), (95, 95))

    def test_a_price_lies_in_what_the_floors_prove_and_is_never_negative(self) -> None:
        asked = replace(everything(), survive_zone=Survival.LANDING, survive_nodes=NodeLoss())
        free = tuple(replace(w, apart=frozenset(), equal_zones=False, replicas=w.replicas * 7) for w in asked.workloads)
        asked = replace(asked, workloads=free, limits=Limits(most_pools=1))
        solution = fit(asked, params=QUICK)
        self.assertTrue(check(asked, solution).holds)
        for price in price_promises(asked, solution, params=QUICK):
            self.assertLessEqual(0, price.least_per_hour)
            self.assertLessEqual(price.least_per_hour, price.price_per_hour)
            self.assertLessEqual(price.price_per_hour, price.most_per_hour)


class TestStandings(unittest.TestCase):
    def test_a_type_enters_the_plan_only_below_its_price_of_entry(self) -> None:
        def priced(rival: str) -> FitProblem:
            types = [("base", (8, 16), "8"), ("rival", (8, 8), rival), ("worse", (8, 8), "9"), ("tiny", (1, 1), "0.01")]
            return problem(types, items({(2, 4): 80}, ("x", "y")), resources=("x", "y"))

        found = {row.instance_type: row for row in alternatives(priced("6"), fit(priced("6"))).types}
        self.assertIs(found["base"].status, AlternativeStatus.CHOSEN)
        self.assertEqual((found["worse"].status, found["worse"].beside), (AlternativeStatus.NEVER, "rival"))
        self.assertIs(found["tiny"].status, AlternativeStatus.USELESS)
        rival = found["rival"]
        self.assertEqual((rival.status, rival.beside, rival.enters_at_per_hour), (AlternativeStatus.DEARER, "base", 4))
        self.assertAlmostEqual(rival.dearer, 0.5)
        for price, wanted in (("4.01", False), ("3.99", True)):
            solution = fit(priced(price))
            self.assertIs(solution.status, FitStatus.OPTIMAL)
            self.assertEqual(any(batch.instance_type == "rival" for batch in solution.nodes), wanted)

    def test_a_unit_price_is_what_the_floor_rises_by(self) -> None:
        """Memory binds: eight nodes' worth of it at 16 a node and price 8 makes 0.5 a unit, and CPU costs nothing."""
        asked = problem([("base", (8, 16), "8")], items({(1, 4): 32}, ("x", "y")), resources=("x", "y"))
        prices = alternatives(asked, fit(asked)).unit_prices["amber"]
        self.assertAlmostEqual(prices["y"], 0.5)
        self.assertAlmostEqual(prices["x"], 0.0)


class TestLevels(unittest.TestCase):
    def levels(self, most_pools: int | None, counts: dict[Level, int]) -> Design:
        """Return the design of two workloads for which a small and a large type are apt, peak in a fifth of the hours."""
        offers = (
            Offer("a", Purchase.ON_DEMAND, Decimal("1.2"), 40),
            Offer("b", Purchase.ON_DEMAND, Decimal("1.2"), 40),
        )
        large = tuple(replace(offer, price_per_hour=Decimal(4)) for offer in offers)
        types = (InstanceType("small", (2, 4), offers), InstanceType("large", (8, 16), large))
        shares = {
            Level.TROUGH: Fraction(4, 5),
            Level.USUAL: Fraction(0),
            Level.PEAK: Fraction(1, 5),
            Level.GROWN: Fraction(0),
        }
        problems = {
            level: FitProblem(
                "EUR", ("a", "b"), ("x", "y"), (0, 0), types, (Workload("n/w", count, (1, 2), zone_skew=1),),
                limits=Limits(most_pools=most_pools),
            )
            for level, count in counts.items()
        }  # fmt: skip
        return design(problems, shares)

    def test_nodes_grow_from_level_to_level_and_the_month_costs_the_mean(self) -> None:
        """By hand: freely the trough takes a small node a zone (2.4), the peak two large ones a zone (16).

        As one design the peak keeps the small ones and has a large one and four small ones a zone (17.6): a month of 5.44 an
        hour. Large ones throughout (8 and 16) make 9.6, and no design is under the 5.12 of both free fits.
        """
        counts = {Level.TROUGH: 4, Level.USUAL: 16, Level.PEAK: 32, Level.GROWN: 48}
        found = self.levels(None, counts)
        self.assertEqual((found.fits[Level.TROUGH].cost_per_hour, found.fits[Level.PEAK].cost_per_hour),
                         (Decimal("2.4"), Decimal("17.6")))  # fmt: skip
        self.assertEqual((found.cost_per_hour, found.floor_per_hour), (Decimal("5.44"), Decimal("5.12")))
        for row in found.limits:
            nodes = [row.nodes[level] for level in Level]
            self.assertEqual((nodes, row.least), (sorted(nodes), nodes[0]))
            self.assertEqual(row.most, min(40, nodes[-1] + 1))
            self.assertIn("1 for upgrades", row.most_because)

    def test_a_replica_bound_to_its_zone_keeps_it_at_every_level(self) -> None:
        """A database of four and five, of which the zones may hold 1 to 3, among replicas that come and go."""
        offers = tuple(
            Offer(zone, Purchase.ON_DEMAND, Decimal(price), 9) for zone, price in zip("abc", (2, 3, 4), strict=True)
        )
        cheap = tuple(
            replace(offer, price_per_hour=offer.price_per_hour * Decimal("0.9")) for offer in reversed(offers)
        )
        types = (InstanceType("s", (4, 4), offers), InstanceType("t", (4, 8), cheap[:2]))
        shares = dict.fromkeys(Level, Fraction(1, 4))
        for survival in (Survival.NONE, Survival.STANDING):
            problems = {
                level: FitProblem(
                    "EUR", ("a", "b", "c"), ("x", "y"), (0, 0), types,
                    (Workload("n/db", 4 + index // 2, (2, 3), zone_skew=2, bound_to_zone=True),
                     Workload("n/w", 3 * index + 1, (1, 1), zone_skew=1)), survival,
                )
                for index, level in enumerate(Level)
            }  # fmt: skip
            found = design(problems, shares)
            self.assertTrue(found.fits, found.reasons)
            plans = [found.fits[level] for level in Level]
            self.assertTrue(all(check(problems[level], found.fits[level]).holds for level in Level))
            self.assertTrue(all(are_nested(*pair, ["n/db"]) for pair in pairwise(plans)))
            self.assertGreaterEqual(found.cost_per_hour, found.floor_per_hour)

    def test_one_pool_for_all_levels_is_chosen_for_the_month_and_not_for_the_peak(self) -> None:
        """Small alone costs 2.4 and 19.2, large alone 8 and 16: over the month 5.76 against 9.6, at the peak it is dearer."""
        counts = {Level.TROUGH: 4, Level.USUAL: 4, Level.PEAK: 32, Level.GROWN: 32}
        found = self.levels(1, counts)
        self.assertEqual({batch.instance_type for one in found.fits.values() for batch in one.nodes}, {"small"})
        self.assertEqual((found.cost_per_hour, found.floor_per_hour), (Decimal("5.76"), Decimal("5.12")))

    def test_a_level_without_room_is_the_reason_why_there_is_no_design(self) -> None:
        found = self.levels(None, {Level.TROUGH: 1, Level.USUAL: 1, Level.PEAK: 1, Level.GROWN: 2000})
        self.assertFalse(found.fits)
        self.assertIn("At the grown peak", found.reasons[0])


class TestConflicts(unittest.TestCase):
    def test_only_the_rules_that_stand_against_each_other_are_named(self) -> None:
        """Two replicas each alone on its node, on a type with a quota of one: the other rules play no part."""
        offers = (Offer("a", Purchase.ON_DEMAND, Decimal(1), 1),)
        types = (InstanceType("t", (8,), offers), InstanceType("u", (8,), (replace(offers[0], most_nodes=None),)))
        bound = Workload("n/v", 2, (1,), frozenset("t"), most_per_node=1)
        other = Workload("n/w", 3, (1,), zone_skew=1, most_per_node=2)
        asked = FitProblem("EUR", ("a",), ("x",), (0,), types, (bound, other), limits=Limits(most_pools=2))
        self.assertIs(fit(asked).status, FitStatus.INFEASIBLE)
        found = conflict(asked)
        keys = {rule.key for rule in found.rules}
        self.assertEqual(keys, {"most_per_node n/v", "types n/v", "offer_quotas"})
        self.assertEqual({rule.key for rule in found.to_drop}, keys)
        for rule in found.rules:
            self.assertIsNot(fit(rule.dropped(asked)).status, FitStatus.INFEASIBLE)

    def test_a_replica_too_large_for_everything_conflicts_with_no_rule(self) -> None:
        asked = problem([("t", (4,), "1")], items({(9,): 1}))
        self.assertEqual((conflict(asked).rules, conflict(asked).proved), ((), True))
