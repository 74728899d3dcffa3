"""Lost replicas that wait for new nodes: every loss has a shopping list that the checker accepts, or there is no fit."""

import unittest
from dataclasses import replace
from decimal import Decimal

from rombel.fit import check, fit
from rombel.formats import read_problem, read_solution, write_problem, write_solution
from rombel.model.fit_problem import FitProblem, InstanceType, Limits, Offer, Purchase, Survival, Workload
from rombel.model.fit_solution import FitStatus


def problem(quota: int | None = None, **changes: object) -> FitProblem:
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, Decimal(1), quota) for zone in "abc")
    small = InstanceType("small", (4, 8), offers)
    odd = InstanceType("odd", (8, 8), tuple(replace(offer, price_per_hour=Decimal(3)) for offer in offers[:1]))
    workloads = (
        Workload("n/v", 9, (1, 3), zone_skew=1),
        Workload("n/w", 4, (2, 1)),
        Workload("n/x", 3, (1, 1), zones=frozenset("ab")),
    )
    whole = FitProblem("EUR", ("a", "b", "c"), ("x", "y"), (0, 0), (small, odd), workloads, Survival.GROWING)
    return replace(whole, **changes)  # type: ignore[arg-type]


class TestGrowing(unittest.TestCase):
    def test_every_zone_has_new_nodes_for_exactly_what_it_loses_at_no_standing_cost(self) -> None:
        whole = problem()
        solution = fit(whole)
        self.assertEqual(check(whole, solution).violations, ())
        self.assertEqual(solution.cost_per_hour, fit(replace(whole, survive_zone=Survival.NONE)).cost_per_hour)
        self.assertEqual(set(solution.growing or {}), {"a", "b", "c"})
        self.assertEqual(read_solution(write_solution(solution)), solution)
        self.assertEqual(read_problem(write_problem(whole)), whole)

    def test_the_checker_refuses_a_list_that_is_short_dear_in_quota_or_in_the_lost_zone(self) -> None:
        whole = problem()
        solution = fit(whole)
        lists = dict(solution.growing or {})
        first = lists["a"][0]
        for broken in (
            {**lists, "a": lists["a"][1:]},
            {**lists, "a": (replace(first, zone="a"), *lists["a"][1:])},
            {**lists, "a": (replace(first, replicas={"n/v": 5}), *lists["a"][1:])},
            {**lists, "a": (replace(first, instance_type="odd"), *lists["a"][1:])},
        ):
            self.assertTrue(check(whole, replace(solution, growing=broken)).violations)
        self.assertTrue(check(whole, replace(solution, growing=None)).violations)
        tight = problem(quota=max(batch.count for batch in solution.nodes))
        self.assertTrue(any("quota" in line for line in check(tight, solution).violations))

    def test_quotas_that_leave_no_nodes_to_grow_are_the_reason_why_there_is_no_fit(self) -> None:
        needed = sum(batch.count for batch in fit(problem()).nodes)
        answer = fit(problem(quota=-(-needed // 3), limits=Limits(most_pools=1)))
        self.assertIs(answer.status, FitStatus.INFEASIBLE)
        self.assertIn("on new nodes", answer.reasons[0])
