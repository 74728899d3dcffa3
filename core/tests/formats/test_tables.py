"""The tables of a fit add up to the fit, can be read by any CSV reader, and hold nothing that a spreadsheet would run."""

import csv
import io
import json
from collections import Counter
from decimal import Decimal
from unittest import TestCase

from rombel.fit import fit
from rombel.formats import read_problem, write_limits_csv, write_placement_csv, write_pools_csv
from rombel.model.demand import Level
from rombel.model.quantity import HOURS_PER_MONTH
from tests.problems import QUICK, items, value

ABOUT = {"study": 'Summer, "grand" timetable', "variant": "=1+1"}


def rows(text: str) -> list[dict[str, str]]:
    """Return the lines of a table as any reader of RFC 4180 has them."""
    return list(csv.DictReader(io.StringIO(text, newline="")))


class TestTables(TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        stated = value(
            [("t", (7,), "0.123456789"), ("u", (11,), "0.2")], items({(3,): 9, (2,): 5}), ("a", "b"), "standing"
        )
        stated["workloads"].append({"name": "n/x + 2×n/y", "replicas": 3, "request": {"x": 1}})
        cls.problem = read_problem(json.dumps(stated))
        cls.solution = fit(cls.problem, params=QUICK)

    def test_pools_sum_exactly_to_the_cost(self) -> None:
        table = rows(write_pools_csv(self.problem, self.solution, ABOUT))
        hourly = sum((Decimal(row["pool_price_per_hour"]) for row in table), Decimal(0))
        self.assertEqual(hourly, self.solution.cost_per_hour)
        self.assertEqual(sum(int(row["nodes"]) for row in table), sum(b.count for b in self.solution.nodes))
        for row in table:
            month = Decimal(row["pool_price_per_hour"]) * HOURS_PER_MONTH
            self.assertLessEqual(abs(Decimal(row["pool_price_per_month"]) - month), Decimal("0.005"))
            self.assertEqual(row["currency"], "EUR")

    def test_every_replica_stands_on_one_line_members_of_a_group_apart(self) -> None:
        table = rows(write_placement_csv(self.solution, ABOUT))
        placed: Counter[str] = Counter()
        for row in table:
            placed[row["workload"]] += int(row["replicas"])
        wanted = {w.name: w.replicas for w in self.problem.workloads}
        self.assertGreaterEqual(placed["w/0"], wanted["w/0"])
        self.assertEqual(placed["n/y"], 2 * placed["n/x"])
        self.assertEqual(sorted({int(row["node"]) for row in table}), list(range(len({row["node"] for row in table}))))

    def test_limits_keep_every_level_and_both_reasons(self) -> None:
        limit = {
            "instance_type": "t", "purchase": "on-demand", "zone": "a", "least": 1, "most": 4,
            "nodes": {Level.TROUGH: 1, Level.PEAK: 3}, "least_because": "1 at trough", "most_because": "3 at peak, 1 more",
        }  # fmt: skip
        (row,) = rows(write_limits_csv([limit], ABOUT))
        self.assertEqual(
            (row["min_nodes"], row["max_nodes"], row["nodes_usual"], row["nodes_peak"]), ("1", "4", "0", "3")
        )
        self.assertEqual((row["min_because"], row["max_because"]), ("1 at trough", "3 at peak, 1 more"))

    def test_every_line_says_where_it_comes_from_and_no_cell_is_a_formula(self) -> None:
        """Cells that begin with = + - @ are run by spreadsheets (OWASP, CSV injection, from memory)."""
        for text in (write_pools_csv(self.problem, self.solution, ABOUT), write_placement_csv(self.solution, ABOUT)):
            for row in rows(text):
                self.assertEqual(row["study"], ABOUT["study"])
                self.assertNotIn(row["variant"][0], "=+-@")
            self.assertTrue(text.endswith("\r\n"))
