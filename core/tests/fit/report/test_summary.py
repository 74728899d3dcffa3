"""The figures that a planner reads add up to the answer they are of, and do not hang on how its nodes are written down."""

import json
import unittest
from dataclasses import fields, replace
from decimal import Decimal

from rombel.fit import fit
from rombel.fit.report.summary import FitSummary, summarise
from rombel.formats import read_problem
from rombel.model.fit_solution import FitSolution
from rombel.model.quantity import HOURS_PER_MONTH
from tests.problems import QUICK, random_value


def one_by_one(solution: FitSolution) -> FitSolution:
    """Return the same answer with every node written down by itself."""
    return replace(solution, nodes=tuple(replace(b, count=1) for b in solution.nodes for _ in range(b.count)))


class TestSummary(unittest.TestCase):
    def test_parts_of_the_bill_sum_to_it_and_counted_nodes_say_what_single_ones_say(self) -> None:
        seen = 0
        for seed in range(12):
            problem = read_problem(json.dumps(random_value(seed, ("none", "landing", "standing")[seed % 3])))
            solution = fit(problem, params=QUICK)
            if not solution.nodes:
                continue
            seen += 1
            found = summarise(problem, solution)
            month = solution.cost_per_hour * HOURS_PER_MONTH
            for parts in (found.zone_cost_per_month.values(), [pool.cost_per_month for pool in found.pools]):
                self.assertEqual(sum(parts), month)
            shared = float(sum(found.workload_cost_per_month.values(), Decimal(0)))
            if all(node.replicas for node in found.nodes):
                self.assertAlmostEqual(shared, float(month), 6)
            else:  # Nodes kept empty for a loss are nobody's.
                self.assertLess(shared, month)
            self.assertEqual(sum(node.count for node in found.nodes), sum(batch.count for batch in solution.nodes))
            self.same(found, summarise(problem, one_by_one(solution)))
        self.assertGreater(seen, 6)

    def same(self, found: FitSummary, single: FitSummary) -> None:
        for name in (entry.name for entry in fields(FitSummary)):
            if name == "workload_cost_per_month":
                for workload, cost in found.workload_cost_per_month.items():
                    self.assertAlmostEqual(cost, single.workload_cost_per_month[workload], 12)
            elif name == "nodes":
                apart = [replace(n, number=n.number + k, count=1) for n in found.nodes for k in range(n.count)]
                self.assertEqual(apart, list(single.nodes))
            else:
                self.assertEqual(getattr(found, name), getattr(single, name), name)
