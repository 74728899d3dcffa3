"""The interchange format: exact round trips, and bad files refused with the place of every fault."""

import json
import unittest

from rombel.errors import InputRefused
from rombel.fit import fit
from rombel.formats import read_problem, read_solution, write_problem, write_solution
from tests.problems import QUICK, random_value, value

GOOD = value([("m", (6,), "1.250")], [{"name": "w/a", "replicas": 2, "request": {"x": 2}}], ("a", "b"))


class TestRoundTrip(unittest.TestCase):
    def test_what_is_written_reads_back_the_same(self) -> None:
        for seed, mode in ((1, "none"), (2, "landing"), (3, "standing")):
            problem = read_problem(json.dumps(random_value(seed, mode)))
            self.assertEqual(read_problem(write_problem(problem)), problem)
            solution = fit(problem, params=QUICK)
            self.assertEqual(read_solution(write_solution(solution)), solution)

    def test_pods_are_requested_once_unless_stated(self) -> None:
        raw = {**GOOD, "resources": ["x", "pods"], "workloads": [
            {"name": "a", "replicas": 1, "request": {"x": 1}}, {"name": "b", "replicas": 1, "request": {"pods": 0}}]}  # fmt: skip
        self.assertEqual([w.request for w in read_problem(json.dumps(raw)).workloads], [(1, 1), (0, 0)])


class TestRefusal(unittest.TestCase):
    def refused(self, text: str, *places: str) -> None:
        with self.assertRaises(InputRefused) as caught:
            read_problem(text)
        said = " ".join(str(fault) for fault in caught.exception.faults)
        for index in places:
            self.assertIn(index, said)

    def changed(self, **more: object) -> str:
        return json.dumps({**GOOD, **more})

    def test_every_fault_is_named_with_its_path(self) -> None:
        workload = GOOD["workloads"][0]
        self.refused(self.changed(colour="red"), "colour")
        self.refused(self.changed(zones=[]), "zones")
        self.refused(self.changed(workloads=[{**workload, "replicas": -1}]), "workloads[0].replicas")
        self.refused(self.changed(workloads=[workload, workload]), "workloads[1]", "twice")
        self.refused(self.changed(workloads=[{**workload, "zones": ["moon"], "request": {"z": 1}}]), "moon", "'z'")
        self.refused(self.changed(daemon={"x": 1.5}), "daemon.x")
        kind = GOOD["instance_types"][0]
        for price in ("0", "-2", "1e400", "cheap"):
            self.refused(
                self.changed(instance_types=[{**kind, "offers": [{**kind["offers"][0], "price_per_hour": price}]}]),
                "price_per_hour",
            )

    def test_broken_text_has_line_and_column(self) -> None:
        self.refused('{"format":\n  oops}', "line 2, column 3")
        self.refused('{"a": 1, "a": 2}', "stands twice")
        self.refused('{"a": NaN}', "NaN")
        self.refused("[" * 100_000, "nested")
        self.refused("[]", "whole file")
