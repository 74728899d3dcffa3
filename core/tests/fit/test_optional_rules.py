"""Quotas over offers, classes apart, bound replicas, the spread over nodes and lost nodes: caught, kept, read and written."""

import json
import unittest
from dataclasses import replace
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.fit import check, fit
from rombel.formats import read_problem, write_problem
from rombel.model.fit_problem import FitProblem, Limits, Purchase, Survival
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
                data = stated(own, quotas=[QUOTA])
                solution = fit(data, params=QUICK)
                self.assertIsNot(solution.status, FitStatus.INFEASIBLE)
                self.assertEqual(check(data, solution).violations, ())

    def test_a_quorum_of_three_stands_with_three_replicas_and_all_three_with_five(self) -> None:
        """A majority of three is two (Lamport 1998, "The part-time parliament", from memory); one replica in each zone leaves it."""
        for must, placed in ((2, 3), (3, 5), (None, 5)):
            database = {"name": "w/db", "replicas": 3, "request": {"x": 1}, "most_per_node": 1}
            own = database if must is None else database | {"must_stand": must}
            data = replace(problem([("m", (1,), "1")], [own], ("a", "b", "c")), survive_zone=Survival.STANDING)
            solution = fit(data)
            self.assertIs(solution.status, FitStatus.OPTIMAL)
            self.assertEqual(sum(n.count * n.replicas["w/db"] for n in solution.nodes), placed)
            if must == 2:  # The checker, too, refuses the same three in two zones.
                crowded = replace(
                    solution, nodes=tuple(replace(n, zone="b" if n.zone == "c" else n.zone) for n in solution.nodes)
                )
                self.assertTrue(
                    any("1 replicas left without b, 2 must stand" in v for v in check(data, crowded).violations)
                )

    def test_headroom_stays_free_on_every_node_also_when_replicas_have_landed(self) -> None:
        workloads = [{"name": "w/a", "replicas": 6, "request": {"x": 2}, "zone_skew": 1}]
        free = problem([("m", (10,), "1")], workloads, ("a", "b", "c"))
        for survive in (Survival.NONE, Survival.LANDING):
            plain = replace(free, survive_zone=survive)
            data = replace(plain, limits=Limits(headroom={"x": 30}))
            solution = fit(data)
            self.assertEqual(check(data, solution).violations, ())
            self.assertGreaterEqual(solution.cost_per_hour, fit(plain).cost_per_hour)
            nodes = [dict(n.replicas) for n in solution.nodes for _ in range(n.count)]
            for landings in [(), *(solution.landing or {}).values()]:
                held = [2 * sum(node.values()) for node in nodes]
                for landing in landings:
                    held[landing.node] += 2 * sum(landing.replicas.values())
                self.assertLessEqual(max(held), 7)

    def test_nodes_that_run_in_any_case_are_paid_and_used(self) -> None:
        """Two large nodes that run anyway leave nothing to buy for what fits on them; a third pool is not allowed beside them."""
        workloads = [{"name": "w/a", "replicas": 4, "request": {"x": 2}}]
        data = problem([("small", (2,), "1"), ("large", (8,), "5")], workloads, ("a",))
        types = tuple(
            replace(t, offers=tuple(replace(o, fewest_nodes=2 if t.name == "large" else 0) for o in t.offers))
            for t in data.instance_types
        )
        runs = replace(data, instance_types=types)
        solution = fit(runs)
        self.assertEqual((solution.cost_per_hour, check(runs, solution).violations), (Decimal(10), ()))
        self.assertTrue(any("2 run in any case" in v for v in check(runs, fit(data)).violations))
        alone = fit(replace(runs, limits=Limits(most_pools=1)))
        self.assertEqual({n.instance_type for n in alone.nodes}, {"large"})
        both = tuple(
            replace(t, offers=tuple(replace(o, fewest_nodes=1) for o in t.offers)) for t in data.instance_types
        )
        refused = fit(replace(data, instance_types=both, limits=Limits(most_pools=1)))
        self.assertIs(refused.status, FitStatus.INFEASIBLE)
        self.assertIn("of 2 pools, at most 1", refused.reasons[0])
        self.assertEqual(read_problem(write_problem(runs)), runs)

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
        data = stated({key: part for own in RULES.values() for key, part in own.items()}, quotas=[QUOTA])
        self.assertEqual(read_problem(write_problem(data)), data)
        with self.assertRaises(InputRefused) as refused:
            stated({"apart": ["w/z"], "stands": {"q": 1, "a": 9}}, quotas=[QUOTA | {"zones": ["q"], "resource": "z"}])
        paths = {fault.path for fault in refused.exception.faults}
        wanted = {"workloads[0].apart", "workloads[0].stands", "limits.quotas[0].zones", "limits.quotas[0].resource"}
        self.assertEqual(paths, wanted)

    def test_a_replica_bound_to_its_zone_cannot_land_and_is_told_so(self) -> None:
        data = stated({"bound_to_zone": True})
        solution = fit(replace(data, survive_zone=Survival.LANDING), params=QUICK)
        self.assertIs(solution.status, FitStatus.INFEASIBLE)
        self.assertIn("bound to their zone", solution.reasons[0])
