"""Quotas over offers, classes apart, bound replicas, the spread over nodes and lost nodes: caught, kept, read and written."""

import json
import unittest
from dataclasses import replace
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.fit import check, fit
from rombel.formats import read_problem, write_problem
from rombel.model.fit_problem import FitProblem, Purchase, Survival
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch
from tests.problems import QUICK, problem, value

RULES = {
    "apart": {"apart": ["w/b"]},
    "bound there": {"stands": {"c": 2}},
    "at most 1 apart": {"node_skew": 1},
    "fullest nodes": {"survive": {"nodes": {"count": 1, "how": "standing"}}},
}
QUOTA = {"name": "large ones", "instance_types": ["m"], "zones": ["a", "b"], "most": 1}


def stated(own: dict[str, object], **limits: object) -> FitProblem:
    workloads = [
        {"name": "w/a", "replicas": 4, "request": {"x": 2}, **own},
        {"name": "w/b", "replicas": 1, "request": {"x": 1}},
    ]
    kinds = [("m", (6,), "1"), ("n", (3,), "0.6")]
    return read_problem(json.dumps(value(kinds, workloads, ("a", "b", "c"), "none", limits=limits)))


PLACED = (
    NodeBatch("m", Purchase.ON_DEMAND, "a", 1, {"w/a": 2, "w/b": 1}),
    NodeBatch("m", Purchase.ON_DEMAND, "b", 1, {"w/a": 2}),
    NodeBatch("m", Purchase.ON_DEMAND, "c", 1, {}),
)
ANSWER = FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(3), Decimal(2), PLACED)


class TestOptionalRules(unittest.TestCase):
    def test_the_checker_catches_each_one_broken(self) -> None:
        self.assertEqual(check(stated({}), ANSWER).violations, ())
        for words, own in RULES.items():
            with self.subTest(words):
                lines = check(stated(own), ANSWER).violations
                self.assertTrue(any(words in line for line in lines), lines)
        lines = check(stated({}, quotas=[QUOTA]), ANSWER).violations
        self.assertTrue(any("Quota large ones: 2 nodes" in line for line in lines), lines)

    def test_answers_keep_each_of_them_and_all_together(self) -> None:
        merged = {key: part for own in RULES.values() for key, part in own.items()}
        for own in (*RULES.values(), merged):
            with self.subTest(own=sorted(own)):
                given = stated(own, quotas=[QUOTA])
                solution = fit(given, params=QUICK)
                self.assertIsNot(solution.status, FitStatus.INFEASIBLE)
                self.assertEqual(check(given, solution).violations, ())

    def test_a_wish_for_spread_costs_nothing_and_is_granted_where_there_is_room(self) -> None:
        """Four replicas fill one node of a zone with others; the room left elsewhere takes two of them."""
        workloads = [
            {"name": "w/a", "replicas": 4, "request": {"x": 1}},
            {"name": "w/b", "replicas": 2, "request": {"x": 4}, "zone_skew": 1},
        ]
        types = [("m", (8,), "1")]
        free = fit(problem(types, workloads, ("a", "b")), params=QUICK)
        workloads[0]["zone_skew_wish"] = 1
        wished = fit(problem(types, workloads, ("a", "b")), params=QUICK)
        self.assertEqual(wished.cost_per_hour, free.cost_per_hour)
        counts = [sum(n.count * n.replicas.get("w/a", 0) for n in wished.nodes if n.zone == zone) for zone in "ab"]
        self.assertLessEqual(max(counts) - min(counts), 1)

    def test_they_are_written_as_they_are_read_and_wrong_names_are_told(self) -> None:
        given = stated({key: part for own in RULES.values() for key, part in own.items()}, quotas=[QUOTA])
        self.assertEqual(read_problem(write_problem(given)), given)
        with self.assertRaises(InputRefused) as refused:
            stated({"apart": ["w/z"], "stands": {"q": 1, "a": 9}}, quotas=[QUOTA | {"zones": ["q"], "resource": "z"}])
        paths = {fault.path for fault in refused.exception.faults}
        wanted = {"workloads[0].apart", "workloads[0].stands", "limits.quotas[0].zones", "limits.quotas[0].resource"}
        self.assertEqual(paths, wanted)

    def test_a_replica_bound_to_its_zone_cannot_land_and_is_told_so(self) -> None:
        given = stated({"bound_to_zone": True})
        solution = fit(replace(given, survive_zone=Survival.LANDING), params=QUICK)
        self.assertIs(solution.status, FitStatus.INFEASIBLE)
        self.assertIn("bound to their zone", solution.reasons[0])
