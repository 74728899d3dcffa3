"""The command line as another program sees it: exit status, files, and no Django."""

import contextlib
import csv
import io
import json
import subprocess
import sys
import tempfile
import unittest
from decimal import Decimal
from pathlib import Path

import jsonschema

from rombel.cli import main
from rombel.formats import schema_text
from tests.problems import value

GOOD = value([("m", (6,), "1")], [{"name": "w/a", "replicas": 4, "request": {"x": 2}}], ("a", "b"), "landing")


class TestCommandLine(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))
        self.problem, self.solution = self.folder / "p.json", self.folder / "s.json"

    def run_quietly(self, *arguments: str) -> tuple[int, str]:
        said = io.StringIO()
        with contextlib.redirect_stderr(said), contextlib.redirect_stdout(said):
            try:
                status = main(arguments)
            except SystemExit as left:
                status = int(left.code or 0)
        return status, said.getvalue()

    def test_fit_then_check_then_a_broken_solution(self) -> None:
        self.problem.write_text(json.dumps(GOOD))
        status, said = self.run_quietly(
            "fit", str(self.problem), "--out", str(self.solution), "--seed", "2", "--seconds", "5"
        )
        self.assertEqual((status, "cost" in said), (0, True))
        self.assertEqual(self.run_quietly("check", str(self.problem), str(self.solution))[0], 0)
        raw = json.loads(self.solution.read_text())
        self.solution.write_text(json.dumps({**raw, "cost_per_hour": "0.5"}))
        status, said = self.run_quietly("check", str(self.problem), str(self.solution))
        self.assertEqual((status, "stated cost" in said), (1, True))

    def test_a_known_solution_is_never_undercut_by_a_dearer_answer_and_its_floor_is_not_believed(self) -> None:
        self.problem.write_text(json.dumps(GOOD))
        fit = ("fit", str(self.problem), "--quiet", "--out", str(self.solution))
        self.assertEqual(self.run_quietly(*fit)[0], 0)
        raw = json.loads(self.solution.read_text())
        known, other = self.folder / "known.json", self.folder / "other.json"
        known.write_text(json.dumps({**raw, "floor_per_hour": raw["cost_per_hour"]}))
        # Half the nodes are no answer here, and must not count as the cheaper one.
        other.write_text(json.dumps({**raw, "cost_per_hour": "0.5", "nodes": raw["nodes"][:1]}))
        self.assertEqual(self.run_quietly(*fit, "--known", str(known), "--known", str(other))[0], 0)
        found = json.loads(self.solution.read_text())
        self.assertEqual(
            (found["cost_per_hour"], found["floor_per_hour"]), (raw["cost_per_hour"], raw["floor_per_hour"])
        )
        self.assertEqual(self.run_quietly("check", str(self.problem), str(self.solution))[0], 0)
        self.assertEqual(self.run_quietly(*fit, "--known", str(self.problem))[0], 3)

    def test_preflight_says_what_would_fail_in_its_exit_status(self) -> None:
        self.problem.write_text(json.dumps(GOOD))
        self.assertEqual(self.run_quietly("fit", str(self.problem), "--quiet", "--out", str(self.solution))[0], 0)
        pair = ("preflight", str(self.problem), str(self.solution))
        status, said = self.run_quietly(*pair, "--json")
        jsonschema.validate(json.loads(said), json.loads(schema_text("preflight-1")))
        grades = {finding["grade"] for finding in json.loads(said)["findings"]}
        self.assertEqual(status, 2 if "stop" in grades else 1 if "care" in grades else 0)
        raw = json.loads(self.solution.read_text())
        self.solution.write_text(json.dumps({**raw, "nodes": raw["nodes"][:-1]}))
        status, said = self.run_quietly(*pair)
        self.assertEqual((status, said.split(":")[0]), (2, "stop"))
        self.solution.write_text("{")
        self.assertEqual(self.run_quietly(*pair)[0], 3)

    def test_a_bill_is_told_line_by_line_and_an_unsound_solution_is_not_billed(self) -> None:
        types = [
            {**t, "offers": [{**o, "price_per_hour": "1.25", "beside": {"licence": "0.25"}} for o in t["offers"]]}
            for t in GOOD["instance_types"]
        ]
        self.problem.write_text(json.dumps({**GOOD, "instance_types": types}))
        self.assertEqual(self.run_quietly("fit", str(self.problem), "--quiet", "--out", str(self.solution))[0], 0)
        nodes = sum(batch["count"] for batch in json.loads(self.solution.read_text())["nodes"])
        bill = ("bill", str(self.problem), str(self.solution))
        status, said = self.run_quietly(*bill, "--month", "2028-02")
        lines = list(csv.DictReader(io.StringIO(said)))
        self.assertEqual(status, 0)
        # By hand: 696 hours at 1 and 0.25.
        sums = {kind: sum(Decimal(x["amount"]) for x in lines if x["charge"] == kind) for kind in ("node", "licence")}
        self.assertEqual(sums, {"node": 696 * nodes, "licence": 174 * nodes})
        status, said = self.run_quietly(*bill, "--json")
        told = json.loads(said)
        self.assertEqual(sum(map(Decimal, told["shares"].values())), Decimal(told["total"]))
        self.assertEqual(Decimal(told["total"]), Decimal("912.50") * nodes)
        self.assertEqual(self.run_quietly(*bill, "--month", "February")[0], 3)
        status, said = self.run_quietly(*bill, "--cost-data", "--month", "2028-02")
        days = list(csv.DictReader(io.StringIO(said)))
        self.assertEqual((status, sum(Decimal(day["BilledCost"]) for day in days)), (0, 870 * nodes))
        self.assertEqual(self.run_quietly(*bill, "--cost-data")[0], 3)
        raw = json.loads(self.solution.read_text())
        self.solution.write_text(json.dumps({**raw, "cost_per_hour": "0.5"}))
        self.assertEqual(self.run_quietly(*bill)[0], 3)

    def test_infeasible_is_two_and_bad_input_three(self) -> None:
        self.problem.write_text(json.dumps({**GOOD, "zones": ["a"], "instance_types": []}))
        self.assertEqual(self.run_quietly("fit", str(self.problem), "--out", str(self.solution))[0], 2)
        self.assertEqual(json.loads(self.solution.read_text())["status"], "infeasible")
        self.problem.write_bytes(b"\xff\xfe")
        self.assertEqual(self.run_quietly("fit", str(self.problem))[0], 3)
        self.assertEqual(self.run_quietly("fit", str(self.folder / "none.json"))[0], 3)
        self.assertEqual(self.run_quietly("fit", str(self.problem), "--seconds", "-1")[0], 3)
        self.assertEqual(self.run_quietly("fly")[0], 3)

    def test_the_command_line_imports_no_django(self) -> None:
        code = "import sys, rombel.cli; sys.exit(any(name.split('.')[0] == 'django' for name in sys.modules))"
        self.assertEqual(subprocess.run([sys.executable, "-c", code], check=False).returncode, 0)

    def test_a_rehearsal_is_played_without_a_server_and_late_demand_is_the_status(self) -> None:
        self.problem.write_text(json.dumps(GOOD))
        self.assertEqual(self.run_quietly("fit", str(self.problem), "--out", str(self.solution), "--quiet")[0], 0)
        name = GOOD["workloads"][0]["name"]
        demand, settings = self.folder / "demand.csv", self.folder / "settings.json"
        lines = [
            f"2026-12-14T{hour:02d}:{minute:02d}:00Z,{name},{2 if hour < 9 else 900}"
            for hour in range(8, 10)
            for minute in range(0, 60, 5)
        ]
        demand.write_text("time,workload,rate\n" + "\n".join(lines))
        files = str(self.problem), str(self.solution), str(demand)
        status, said = self.run_quietly("rehearse", *files)
        self.assertEqual(status, 3)
        self.assertIn("State per_replica", said)
        settings.write_text(json.dumps({"format": "rombel-rehearsal/1", "workloads": {name: {"per_replica": 2}}}))
        status, said = self.run_quietly("rehearse", *files, "--settings", str(settings), "--json")
        told = json.loads(said)
        self.assertEqual((status, told["seed"], told["reached_s"]), (1, 0, 7200))
        again = self.run_quietly("rehearse", *files, "--settings", str(settings), "--json", "--late", "100")
        self.assertEqual(again, (0, said))
        eight, nine = "2026-12-14T08:00:00Z", "2026-12-14T09:00:00Z"
        bad = {
            f"{eight},w/nobody,2": "w/nobody",
            f"{nine},{name},2\n{eight},{name},3": "do not rise",
            f"{eight},{name},2\n{eight},{name},3": "stands twice",
            f"{eight},{name},-2\n{nine},{name},3": "below 0",
        }
        for rows, words in bad.items():
            demand.write_text(f"time,workload,rate\n{rows}")
            status, said = self.run_quietly("rehearse", *files, "--settings", str(settings))
            self.assertEqual(status, 3, said)
            self.assertIn(words, said)

    def test_drills_are_played_without_a_server_and_the_worst_mark_is_the_status(self) -> None:
        self.problem.write_text(json.dumps(GOOD))
        self.assertEqual(self.run_quietly("fit", str(self.problem), "--out", str(self.solution), "--quiet")[0], 0)
        files = str(self.problem), str(self.solution)
        status, said = self.run_quietly("drill", *files)
        self.assertEqual((status, said.count("\n")), (0, 5), said)
        book = self.folder / "book.json"
        drills = {
            1: {"name": "one member", "steps": [{"kind": "version"}]},
            2: {"name": "region", "steps": [{"kind": "region"}]},
            3: {"name": "elsewhere", "steps": [{"kind": "zone", "zone": "nowhere"}]},
        }
        for expected, drill in drills.items():
            book.write_text(json.dumps({"format": "rombel-drill-book/1", "members": {"a": 1}, "drills": [drill]}))
            status, said = self.run_quietly("drill", *files, "--book", str(book), "--json")
            self.assertEqual(status, expected, said)
            if expected < 3:
                told = json.loads(said)["drills"][0]
                self.assertEqual((told["drill"]["name"], bool(told["reason"])), (drill["name"], True))
        self.assertIn("drills[0].steps[0].zone", said)
