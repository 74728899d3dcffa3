"""An answer depends on nothing that cannot matter, and no legal plan is lost to how counts over zones are chosen."""

import copy
import json
import random
import unittest
from collections import Counter
from decimal import Decimal
from typing import Any

from bench.instances import triplets
from hypothesis import given, settings
from hypothesis import strategies as st

from rombel.fit import FitParams, Progress, SearchParams, check, fit, quick_floor
from rombel.formats import problem_value, read_problem
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, FitStatus
from tests.fit.whole_model import wild_value
from tests.problems import value

# A factor without a pattern: one like 2 or 10 keeps ties and roundings as they were.
SCALE = Decimal("0.8573123457")


def sold(name: str, room: int, prices: dict[str, str], quotas: dict[str, int] | None = None) -> dict[str, Any]:
    """Return a type with one resource, its price and its quota by zone."""
    offers = [
        {"zone": z, "purchase": "on-demand", "price_per_hour": p, "most_nodes": (quotas or {}).get(z)}
        for z, p in prices.items()
    ]
    return {"name": name, "allocatable": {"x": room}, "offers": offers}


def stated(
    types: list[dict[str, Any]], workloads: list[dict[str, Any]], survive: str = "none", **limits: int
) -> FitProblem:
    """Return a problem of three zones, or those in which anything is sold."""
    zones = sorted({offer["zone"] for entry in types for offer in entry["offers"]})
    raw = value([], workloads, zones, survive) | {"instance_types": types, "limits": limits}
    return read_problem(json.dumps(raw))


def one(replicas: int, asked: int = 1, **more: object) -> list[dict[str, Any]]:
    """Return one workload."""
    return [{"name": "n/w", "replicas": replicas, "request": {"x": asked}, **more}]


def by_zone(solution: FitSolution) -> dict[str, int]:
    """Return the replicas in each zone."""
    counts: Counter[str] = Counter()
    for node in solution.nodes:
        counts[node.zone] += node.count * sum(node.replicas.values())
    return dict(counts)


class TestCounts(unittest.TestCase):
    def fitted(self, problem: FitProblem) -> FitSolution:
        solution = fit(problem)
        self.assertTrue(check(problem, solution).holds)
        return solution

    def test_a_difference_of_two_or_more_allows_every_legal_plan(self) -> None:
        """Quotas and prices choose among the counts that the spread rule allows, not the even share."""
        even = {"a": "1", "b": "1", "c": "1"}
        few = stated(
            [sold("t", 3, even, {"b": 1, "c": 1}), sold("u", 1, even, {"a": 0, "b": 0, "c": 0})], one(5, 1, zone_skew=2)
        )
        self.assertEqual(sum(by_zone(self.fitted(few)).values()), 5)
        tight = stated([sold("t", 1, even, {"b": 1, "c": 1})], one(5, zone_skew=2))
        self.assertEqual(by_zone(self.fitted(tight)), {"a": 3, "b": 1, "c": 1})
        quota = stated([sold("t", 1, even, {"c": 2})], one(12, zone_skew=3))
        self.assertEqual(by_zone(self.fitted(quota)), {"a": 5, "b": 5, "c": 2})
        # Four, two and two: the cheap zone holds as many more as the rule lets it.
        cheap = stated([sold("t", 1, {"a": "0.5", "b": "1", "c": "1"})], one(8, zone_skew=2))
        self.assertEqual(self.fitted(cheap).cost_per_hour, Decimal(6))

    def test_more_replicas_may_stand_where_they_cost_least(self) -> None:
        dear = stated([sold("t", 1, {"a": "1", "b": "1", "c": "9"})], one(4), "standing")
        # Four in a and four in b outlive the loss of either, and the dear zone stays empty.
        self.assertEqual(self.fitted(dear).cost_per_hour, Decimal(8))
        quota = stated([sold("t", 1, {"a": "1", "b": "1", "c": "1"}, {"c": 1})], one(4), "standing")
        self.assertEqual(by_zone(self.fitted(quota)), {"a": 3, "b": 3, "c": 1})

    def test_at_scale_counts_follow_prices_too(self) -> None:
        """Far beyond what can be listed, the standing replicas leave the dear zone."""
        rows = [{"name": f"n/{n}", "replicas": 40, "request": {"x": 3 + n}, "zone_skew": None} for n in range(12)]
        solution = self.fitted(stated([sold("t", 97, {"a": "1", "b": "1", "c": "9"})], rows, "standing"))
        # All standing twice over, in the two cheap zones, filled without a gap, and six in a hundred more.
        self.assertLess(float(solution.cost_per_hour), 1.06 * 2 * 40 * sum(3 + n for n in range(12)) / 97)

    def test_a_zone_is_a_domain_where_a_replica_could_run(self) -> None:
        """A quota of nothing or nodes too small make no domain; a full zone still is one and holds the others back."""
        even = {"a": "1", "b": "1"}
        none = stated([sold("t", 1, even | {"c": "1"}, {"c": 0})], one(4, zone_skew=1))
        self.assertEqual(by_zone(self.fitted(none)), {"a": 2, "b": 2})
        small = stated([sold("t", 2, {"a": "1", "b": "2"}), sold("s", 1, {"c": "1"})], one(5, 2, zone_skew=3))
        self.assertEqual(by_zone(self.fitted(small)), {"a": 4, "b": 1})
        full = fit(stated([sold("t", 1, even | {"c": "1"}, {"c": 1})], one(12, zone_skew=2)))
        self.assertIs(full.status, FitStatus.INFEASIBLE)
        # Why there is no answer is told in figures that can be checked by hand.
        for words in ("7 of 12", "5 find no room", "spread", "quotas", "c has room for 1"):
            self.assertIn(words, full.reasons[0])


class TestOutcomes(unittest.TestCase):
    def test_a_quota_as_large_as_the_answer_is_no_obstacle(self) -> None:
        """Twenty bins hold sixty triplet items exactly; a quota of twenty changes nothing."""
        # Every bin is filled exactly, by three items: the triplets of E. Falkenauer, J. Heuristics 2 (1996), from memory.
        raw = problem_value(triplets(1, 20))
        raw["instance_types"][0]["offers"][0]["most_nodes"] = 20
        solution = fit(read_problem(json.dumps(raw)))
        self.assertEqual((solution.status, solution.cost_per_hour), (FitStatus.OPTIMAL, Decimal(20)))

    def test_idle_resources_do_not_keep_an_exact_packing_from_its_proof(self) -> None:
        raw = problem_value(triplets(2, 20))
        raw["resources"] = ["memory_bytes", *raw["resources"], "pods"]
        raw["instance_types"][0]["allocatable"] |= {"memory_bytes": 64, "pods": 110}
        for entry in raw["workloads"]:
            entry["request"] |= {"memory_bytes": 4, "pods": 1}
        solution = fit(read_problem(json.dumps(raw)))
        self.assertEqual((solution.status, solution.cost_per_hour), (FitStatus.OPTIMAL, Decimal(20)))

    def test_landing_under_quotas_and_one_pool_is_found(self) -> None:
        """Two nodes of the first type in each zone do."""
        types = [
            sold("t0", 10, {"a": "1", "b": "21"}, {"b": 3}),
            sold("t1", 9, {"a": "11", "b": "8"}, {"a": 1, "b": 2}),
        ]
        solution = fit(stated(types, one(3, 4), "landing", most_pools=1))
        self.assertEqual((solution.status, solution.cost_per_hour), (FitStatus.OPTIMAL, Decimal(44)))

    def test_daemons_that_leave_little_are_proved_around(self) -> None:
        # After the daemons a small node holds one replica, a medium one two, a large one three: each with a gap.
        types = [sold("s", 5_200, {"a": "50"}), sold("m", 9_300, {"a": "99"}), sold("l", 17_000, {"a": "200"})]
        raw = value([], one(6, 4096), ("a",)) | {"instance_types": types, "daemon": {"x": 1_000}}
        self.assertIs(fit(read_problem(json.dumps(raw))).status, FitStatus.OPTIMAL)

    def test_pools_that_quotas_keep_too_small_do_not_run(self) -> None:
        types = [sold("cheap", 4, {"a": "1"}, {"a": 1}), sold("dear", 4, {"a": "3"})]
        solution = fit(stated(types, one(3, 2), fewest_nodes_per_pool=2))
        self.assertEqual({node.instance_type for node in solution.nodes}, {"dear"})

    def test_stopped_at_once_nothing_is_called_infeasible(self) -> None:
        # Says stop at the very first report, before anything is found or proved.
        class AtOnce:
            def on_progress(self, progress: Progress) -> bool:
                return True

        rows = [{"name": f"n/{n}", "replicas": 30, "request": {"x": 3 + n}} for n in range(8)]
        solution = fit(stated([sold("t", 50, {"a": "1", "b": "1.1"})], rows, "landing"), observer=AtOnce())
        self.assertIn(solution.status, (FitStatus.STOPPED, FitStatus.UNKNOWN))


class TestInvariance(unittest.TestCase):
    def changed(self, raw: dict[str, Any], rng: random.Random) -> dict[str, Any]:
        """Return the same problem told otherwise: rows and offers shuffled, renamed, with an idle resource and a type told twice."""
        told = copy.deepcopy(raw)
        # First in the list, where a resource that counts would be looked at first.
        told["resources"] = ["idle", *told["resources"]]
        for number, entry in enumerate(told["instance_types"]):
            entry["allocatable"]["idle"] = rng.randint(0, 9)
            rng.shuffle(entry["offers"])
            # Names that sort otherwise than those before: no tie may be broken by the alphabet.
            new = f"q{7 * number % 11}"
            for row in told["workloads"]:
                if row.get("instance_types") is not None:
                    row["instance_types"] = [new if name == entry["name"] else name for name in row["instance_types"]]
            entry["name"] = new
        for number, row in enumerate(told["workloads"]):
            row["name"] = f"z/{5 * number % 7}"
        rng.shuffle(told["workloads"])
        rng.shuffle(told["instance_types"])
        return told

    @settings(max_examples=25, deadline=None)
    @given(seed=st.integers(0, 100_000))
    def test_what_cannot_matter_does_not(self, seed: int) -> None:
        """Order, names, an idle resource and the prices' scale leave status and cost as they are, whatever the rules."""
        raw = wild_value(seed)
        first = fit(read_problem(json.dumps(raw)))
        second = fit(read_problem(json.dumps(self.changed(raw, random.Random(seed)))))
        self.assertEqual((first.status, first.cost_per_hour), (second.status, second.cost_per_hour))
        scaled = copy.deepcopy(raw)
        for entry in scaled["instance_types"]:
            for offer in entry["offers"]:
                offer["price_per_hour"] = f"{Decimal(offer['price_per_hour']) * SCALE:.9f}"
        third = fit(read_problem(json.dumps(scaled)))
        self.assertEqual(first.status, third.status)
        # Scaled prices are rounded to nine decimals, so the sums agree to some six.
        self.assertAlmostEqual(float(first.cost_per_hour * SCALE), float(third.cost_per_hour), 6)

    def test_nine_decimals_at_scale_are_no_obstacle(self) -> None:
        """Ninety offers and eighty workloads at prices of nine decimals are placed whole."""
        rng = random.Random(3)
        types = [
            sold(f"t{n}", 20 + 7 * n, {z: f"{(20 + 7 * n) * rng.uniform(0.9, 1.1) / 99:.9f}" for z in "abc"})
            for n in range(30)
        ]
        rows = [
            {"name": f"n/{n}", "replicas": rng.randint(4, 30), "request": {"x": rng.randint(1, 20)}} for n in range(80)
        ]
        problem = stated(types, rows, "landing")
        solution = fit(problem, params=FitParams(search=SearchParams(work=300_000)))
        self.assertTrue(solution.found)
        self.assertLess(solution.gap, 0.2)
        self.assertGreater(quick_floor(problem).floor_per_hour, 0)
