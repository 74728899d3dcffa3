"""The checker: right answers pass, and each rule broken once is caught."""

import json
import unittest
from dataclasses import replace
from decimal import Decimal

from rombel.fit import check, fit
from rombel.formats import read_problem
from rombel.model.fit_problem import FitProblem, Purchase
from rombel.model.fit_solution import FitSolution, FitStatus, Landing, NodeBatch
from tests.problems import QUICK, value

WORKLOADS = [
    {"name": "w/a", "replicas": 4, "request": {"x": 2}, "zone_skew": 1, "most_per_node": 2},
    {"name": "w/b", "replicas": 2, "request": {"x": 1}, "zones": ["a", "b"]},
]


def stated(survive: str, **more: object) -> FitProblem:
    return read_problem(
        json.dumps(value([("m", (6,), "1"), ("n", (3,), "0.6")], WORKLOADS, ("a", "b", "c"), survive, **more))
    )


def nodes(*loads: tuple[str, dict[str, int]]) -> tuple[NodeBatch, ...]:
    return tuple(NodeBatch("m", Purchase.ON_DEMAND, zone, 1, load) for zone, load in loads)


PLACED = nodes(("a", {"w/a": 2, "w/b": 1}), ("b", {"w/a": 1, "w/b": 1}), ("c", {"w/a": 1}))
ANSWER = FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(3), Decimal(2), PLACED)


class TestMutations(unittest.TestCase):
    def caught(self, data: FitProblem, solution: FitSolution, words: str) -> None:
        report = check(data, solution)
        self.assertTrue(any(words in line for line in report.violations), (words, report.violations))

    def test_a_right_answer_passes(self) -> None:
        self.assertEqual(check(stated("none"), ANSWER).violations, ())

    def test_each_rule_broken_once_is_caught(self) -> None:
        data = stated("none")
        self.caught(data, replace(ANSWER, cost_per_hour=Decimal("2.9")), "stated cost")
        self.caught(data, replace(ANSWER, floor_per_hour=Decimal("3.1")), "floor")
        self.caught(data, replace(ANSWER, currency="SEK"), "currency")
        self.caught(data, replace(ANSWER, status=FitStatus.OPTIMAL), "optimal")
        self.caught(data, replace(ANSWER, status=FitStatus.INFEASIBLE), "there are nodes")
        self.caught(data, replace(ANSWER, nodes=PLACED[:2], cost_per_hour=Decimal(2)), "replicas placed")
        crowded = nodes(("a", {"w/a": 2, "w/b": 1}), ("b", {"w/a": 1}), ("c", {"w/a": 1, "w/b": 1}))
        self.caught(data, replace(ANSWER, nodes=crowded), "may not run")
        heaped = nodes(("a", {"w/a": 3}), ("b", {"w/a": 1, "w/b": 2}), ("c", {}))
        self.caught(data, replace(ANSWER, nodes=heaped), "at most 2 allowed")
        self.caught(data, replace(ANSWER, nodes=heaped), "differ by more than 1")
        small = (NodeBatch("n", Purchase.ON_DEMAND, "a", 1, {"w/a": 2}), *PLACED[1:])
        self.caught(data, replace(ANSWER, nodes=small), "usable on n")
        spot = (replace(PLACED[0], purchase=Purchase.INTERRUPTIBLE), *PLACED[1:])
        self.caught(data, replace(ANSWER, nodes=spot), "not offered")
        self.caught(stated("none", limits={"fewest_nodes_per_pool": 4}), ANSWER, "fewest per pool")
        self.caught(stated("none", limits={"fewest_nodes_per_zone": 2}), ANSWER, "fewest per zone")
        mixed = (*PLACED, NodeBatch("n", Purchase.ON_DEMAND, "a", 1, {}))
        self.caught(stated("none", limits={"most_pools": 1}), replace(ANSWER, nodes=mixed), "at most 1")
        self.caught(stated("standing"), ANSWER, "must stand")

    def test_a_landing_is_verified_and_searched_for_when_left_out(self) -> None:
        data = stated("landing")
        found = check(data, ANSWER)
        self.assertEqual((found.landing, found.violations), ("found", ()))
        full = nodes(("a", {"w/a": 2, "w/b": 2}), ("b", {"w/a": 1}), ("c", {"w/a": 1}))
        self.assertEqual(check(data, replace(ANSWER, nodes=full)).landing, "found")
        tight = read_problem(json.dumps(value([("m", (5,), "1")], WORKLOADS, ("a", "b", "c"), "landing")))
        self.caught(tight, ANSWER, "no landing was found")

    def test_each_wrong_landing_is_caught(self) -> None:
        data = stated("landing")
        right = {
            "a": (Landing(1, {"w/a": 1, "w/b": 1}), Landing(2, {"w/a": 1})),
            "b": (Landing(0, {"w/b": 1}), Landing(2, {"w/a": 1})),
            "c": (Landing(1, {"w/a": 1}),),
        }
        self.assertEqual(check(data, replace(ANSWER, landing=right)).violations, ())
        for zone, part, words in (
            ("c", (Landing(2, {"w/a": 1}),), "no surviving node"),
            ("c", (Landing(9, {"w/a": 1}),), "no surviving node"),
            ("c", (), "0 replicas of w/a land"),
            ("c", (Landing(0, {"w/a": 1}),), "at most 2 allowed"),
            ("b", (Landing(2, {"w/b": 1, "w/a": 1}),), "may not run there"),
            ("c", (Landing(1, {"w/a": 1, "w/z": 1}),), "no workload 'w/z'"),
        ):
            with self.subTest(words):
                self.caught(data, replace(ANSWER, landing={**right, zone: part}), words)

    def test_shares_on_interruptible_nodes_and_quotas(self) -> None:
        raw = value(
            [("m", (6,), "1")], [{"name": "w/a", "replicas": 4, "request": {"x": 1}, "interruptible_share": 0.5}]
        )
        raw["instance_types"][0]["offers"].append(
            {"zone": "amber", "purchase": "interruptible", "price_per_hour": "0.3", "most_nodes": 1}
        )
        data = read_problem(json.dumps(raw))
        solution = fit(data, params=QUICK)
        self.assertEqual(solution.cost_per_hour, Decimal("1"))
        cheap = NodeBatch("m", Purchase.INTERRUPTIBLE, "amber", 2, {"w/a": 2})
        broken = replace(solution, nodes=(cheap,), cost_per_hour=Decimal("0.6"), floor_per_hour=Decimal("0.1"))
        self.caught(data, broken, "quota")
        self.caught(data, broken, "share of replicas on interruptible")
