"""Rehearsals: what is kept with a study is played seed by seed, limits that hold are found and taken, and bad input keeps nothing."""

from __future__ import annotations

import io
import json
from contextlib import redirect_stdout
from dataclasses import replace
from decimal import Decimal
from pathlib import Path
from tempfile import TemporaryDirectory
from typing import Any

import jsonschema

from api.tests.base import WORK, WorkerCase
from rombel.cli import main
from rombel.formats import read_problem, read_solution
from rombel.simulate.rehearsal import rehearse
from runs.models import Fit, Inquiry, Question
from runs.questions import QUESTIONS
from runs.questions.rehearsal import SEEDS, Rehearsed, rounded, setting
from studies.models import Variant, Workload

SCENARIO: dict[str, Any] = {
    "words": "steady, burst x6 at day 1 09:00 for 2 h",
    "start": "2026-12-14T00:00",
    "days": 1,
    "most_late_percent": 5.0,
    "bursts": [],
    "outages": [],
}


class TestRehearsal(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(rows=3)
        self.study = self.variant.study
        # Of few types a fit is made in a moment.
        Variant.objects.filter(pk=self.variant.pk).update(families=["auk"])
        # The first workload follows a rate; the others keep their replicas.
        row = self.study.workloads.first()
        assert row is not None
        self.name = f"{row.namespace}/{row.name}"
        sizing = {"basis": "rate", "least": 1, "most": 200, "trough": 100, "usual": 600, "peak": 600, "per_replica": 50}
        Workload.objects.filter(pk=row.pk).update(sizing=sizing)
        self.client = self.signed_in("planner")

    def keep(self, role: str = "planner", **changes: object) -> Any:
        client = self.client if role == "planner" else self.signed_in(role)
        return self.send(client, "put", f"/studies/{self.study.pk}/rehearsal", {**SCENARIO, **changes})

    def fitted(self) -> Fit:
        self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.work()
        return Fit.objects.latest("pk")

    def ask(self, question: str) -> Any:
        asked = self.send(self.client, "post", f"/variants/{self.variant.pk}/inquiries", {"question": question})
        self.assertEqual(asked.status_code, 201, asked.content)
        self.work("points" if question == "rehearsal" else "ask")
        return self.client.get(f"/api/inquiries/{asked.json()['id']}").json()

    def test_every_seed_is_played_once_and_the_first_is_told_as_the_core_plays_it(self) -> None:
        burst = {"at": "2026-12-14T06:00", "workload": self.name, "count": 2, "minutes": 60}
        self.assertEqual(self.keep(bursts=[burst]).status_code, 204)
        fit = self.fitted()
        told = self.ask("rehearsal")
        self.assertEqual((told["status"], told["is_current"]), ("done", True))
        found = told["rehearsal"]
        self.assertEqual(sorted(map(int, found["seeds"])), list(range(SEEDS)))
        row = Inquiry.objects.get(pk=told["id"])
        problem, solution = read_problem(fit.problem), read_solution(fit.solution)
        kind = QUESTIONS[Question.REHEARSAL]
        rehearsal = setting(kind.given_of(row), problem, solution)
        played = rehearse(problem, solution, rehearsal)
        answer: Rehearsed | None = kind.answer_of(row)
        assert answer is not None and answer.outcome is not None
        hours = Decimal(played.reached_s) / 3600
        self.assertEqual(
            answer.outcome, replace(rounded(played), planned=(solution.cost_per_hour * hours).quantize(played.total))
        )
        self.assertEqual(
            (found["outcome"]["serving"], found["outcome"]["bursts_s"]),
            (list(rounded(played).serving), list(played.bursts_s)),
        )
        shares = {seed: rehearse(problem, solution, rehearsal, seed=int(seed)).share("late") for seed in ("3", "7")}
        self.assertEqual({seed: found["seeds"][seed]["late_share"] for seed in shares}, shares)
        without = rehearse(problem, solution, replace(rehearsal, bursts=()))
        self.assertEqual(Decimal(found["burst_cost"]), played.total - without.total)
        # The moment after the command carries what it brought.
        at = 6 * 3600 + 600
        moment = self.client.get(f"/api/inquiries/{told['id']}/moment?at_s={at}").json()
        bound = sum(node["bound"].get(self.name, 0) for node in moment["nodes"]) + moment["waiting"].get(self.name, 0)
        before = self.client.get(f"/api/inquiries/{told['id']}/moment?at_s={6 * 3600 - 60}").json()
        self.assertEqual(bound - sum(node["bound"].get(self.name, 0) for node in before["nodes"]), 2)
        self.assertEqual(self.client.get(f"/api/inquiries/{told['id']}/moment?at_s=999999999").status_code, 404)
        (run,) = self.client.get(f"/api/variants/{self.variant.pk}/rehearsals").json()
        self.assertEqual((run["id"], run["late_share"]), (told["id"], found["seeds"]["0"]["late_share"]))

    def test_files_of_a_rehearsal_played_on_the_command_line_show_the_same(self) -> None:
        burst = {"at": "2026-12-14T06:00", "workload": self.name, "count": 2, "minutes": 60}
        outage = {"kind": "zone", "at": "2026-12-14T12:00", "minutes": 30, "zone": "birch"}
        self.keep(bursts=[burst], outages=[outage])
        fit = self.fitted()
        told = self.ask("rehearsal")
        with TemporaryDirectory() as folder:
            for name in ("start.json", "demand-through-time.csv", "rehearsal.json", "rehearsal.schema.json"):
                handed = self.client.get(f"/api/inquiries/{told['id']}/rehearsal-files/{name}")
                self.assertEqual(handed.status_code, 200)
                (Path(folder) / name).write_text(handed.content.decode(), "utf-8")
            (Path(folder) / "problem.json").write_text(fit.problem, "utf-8")
            schema, settings = (
                json.loads((Path(folder) / f"rehearsal.{end}").read_text("utf-8")) for end in ("schema.json", "json")
            )
            jsonschema.validate(settings, schema)
            paths = [str(Path(folder) / name) for name in ("problem.json", "start.json", "demand-through-time.csv")]
            out = io.StringIO()
            with redirect_stdout(out):
                main(["rehearse", *paths, "--settings", str(Path(folder) / "rehearsal.json"), "--json"])
        played, shown = json.loads(out.getvalue()), told["rehearsal"]["outcome"]
        self.assertEqual(Decimal(played["total"]), Decimal(shown["total"]))
        for kind in ("late", "lost", "waited_min", "asked"):
            self.assertEqual([w[kind] for w in played["workloads"]], [w[kind] for w in shown["workloads"]], kind)
        self.assertEqual(played["bursts_s"], shown["bursts_s"])
        limits = self.send(self.client, "post", f"/variants/{self.variant.pk}/inquiries", {"question": "limits"}).json()
        address = f"/api/inquiries/{limits['id']}/rehearsal-files/rehearsal.json"
        self.assertEqual(self.client.get(address).status_code, 404)

    def test_a_part_whose_worker_died_is_played_again_and_the_rest_is_not(self) -> None:
        self.keep()
        self.fitted()
        told = self.ask("rehearsal")
        row = Inquiry.objects.get(pk=told["id"])
        whole = row.answer
        row.answer = {**whole, "seeds": {key: value for key, value in whole["seeds"].items() if key != "4"}}
        row.save()
        part = row.job.parts.get(part=4)
        part.status, part.attempts = "queued", 0
        part.save()
        row.job.status = "running"
        row.job.save()
        WORK(None, part.pk)
        row.refresh_from_db()
        self.assertEqual(row.answer, whole)

    def test_limits_that_hold_are_found_taken_and_played(self) -> None:
        # Between what is late with the nodes that may be now (35 %), and with any number of them (10 %).
        self.keep(most_late_percent=12.0)
        self.fitted()
        # The design of all levels is asked for with the fit, and its limits are those before.
        self.do(Inquiry.objects.get(question="levels"))
        before = self.ask("rehearsal")["rehearsal"]
        self.assertGreater(before["seeds"]["0"]["late_share"], 0.12)
        found = self.ask("limits")["limits"]
        self.assertEqual((found["reason"], found["held"], found["runs"]), ("", 20, 20))
        address = f"/api/variants/{self.variant.pk}/pool-limits"
        self.assertEqual(self.client.get(address).json()["origin"], "levels")
        limits = [{**e["offer"], **e["range"]} for e in found["limits"]]
        self.assertEqual(
            self.send(self.client, "put", address.removeprefix("/api"), {"limits": limits}).status_code, 204
        )
        taken = self.client.get(address).json()
        self.assertEqual((taken["origin"], taken["limits"]), ("stated", limits))
        after = self.ask("rehearsal")["rehearsal"]
        self.assertLessEqual(max(seed["late_share"] for seed in after["seeds"].values()), 0.12)
        self.send(self.client, "post", f"/studies/{self.study.pk}/undo")
        self.assertEqual(self.client.get(address).json()["origin"], "levels")

    def test_bad_input_is_refused_with_its_place_and_nothing_is_kept(self) -> None:
        bad: list[tuple[dict[str, Any], str]] = [
            ({"words": "day, brust x3"}, "words"),
            ({"start": "tomorrow"}, "start"),
            ({"bursts": [{"at": "2026-12-20T00:00", "workload": self.name, "count": 1}]}, "bursts[0].at"),
            ({"outages": [{"kind": "zone", "at": "2026-12-13T00:00", "minutes": 5, "zone": "amber"}]}, "outages[0].at"),
        ]
        for change, path in bad:
            refused = self.keep(**change)
            self.assertEqual(refused.status_code, 422)
            self.assertIn(path, [fault["path"] for fault in refused.json()["faults"]])
        self.study.refresh_from_db()
        self.assertEqual(self.study.rehearsal, {})
        limit = {"instance_type": "t", "purchase": "on-demand", "zone": "z", "least": 3, "most": 2, "kept_back": 0}
        for limits in ([limit], [{**limit, "most": 4}] * 2):
            refused = self.send(self.client, "put", f"/variants/{self.variant.pk}/pool-limits", {"limits": limits})
            self.assertEqual(refused.status_code, 422)
        self.assertEqual(self.keep(role="viewer").status_code, 403)
        # What only a fit can tell is told before anybody waits for it.
        self.keep(words="day on bookings/*")
        self.keep(words="day, x2 on nobody/*")
        self.fitted()
        refused = self.send(self.client, "post", f"/variants/{self.variant.pk}/inquiries", {"question": "rehearsal"})
        self.assertEqual((refused.status_code, refused.json()["faults"][0]["path"]), (422, "words"))
