"""Fits in the background: stored checked and whole, stopped, made again, and handed over."""

from __future__ import annotations

import csv
import io
import json
from typing import Any

from api.tests.base import WorkerCase
from rombel.fit import check, fit
from rombel.formats import read_problem, read_solution, write_solution
from runs.models import Fit, Run, RunStatus
from runs.tasks import MOST_ATTEMPTS, compute


class TestRuns(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make()
        self.client = self.signed_in("planner")

    def start(self) -> Any:
        answer = self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.assertEqual(answer.status_code, 201)
        return answer.json()

    def bench(self) -> Any:
        return self.client.get(f"/api/variants/{self.variant.pk}/bench").json()

    def test_a_fit_is_computed_by_the_worker_and_can_be_made_again(self) -> None:
        run = self.start()
        self.assertEqual(self.bench()["run"]["status"], "queued")
        self.work()
        bench = self.bench()
        self.assertEqual(
            (bench["run"]["id"], bench["run"]["status"], bench["fit_is_current"]), (run["id"], "done", True)
        )
        row = Fit.objects.get()
        problem, solution = read_problem(row.problem), read_solution(row.solution)
        self.assertTrue(check(problem, solution).holds)
        self.assertEqual(write_solution(fit(problem, seed=row.seed)), row.solution)
        nodes = bench["fit"]["nodes"]
        self.assertEqual(sum(sum(n["replicas"].values()) for n in nodes), bench["study"]["replicas"])
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"survive_zone": "none"})
        self.assertFalse(self.bench()["fit_is_current"])

    def test_a_stopped_run_keeps_the_best_so_far_and_a_newer_one_stops_the_older(self) -> None:
        first, second = self.start(), self.start()
        self.assertTrue(Run.objects.get(pk=first["id"]).stop_requested)
        self.send(self.client, "post", f"/runs/{second['id']}/stop")
        self.work()
        statuses = list(Fit.objects.values_list("status", flat=True))
        self.assertEqual(len(statuses), 2)
        self.assertLessEqual(set(statuses), {"stopped", "feasible", "optimal"})

    def test_an_infeasible_variant_is_answered_with_reasons(self) -> None:
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"zones": ["amber"]})
        self.start()
        self.work()
        answer = self.bench()["fit"]
        self.assertEqual((answer["status"], answer["nodes"]), ("infeasible", []))
        self.assertIn("cannot be survived", answer["reasons"][0])

    def test_a_rescued_job_computes_once_and_a_deadly_one_is_given_up(self) -> None:
        run = self.start()
        Run.objects.filter(pk=run["id"]).update(status=RunStatus.RUNNING, attempts=1)
        self.work()
        compute.defer(run_id=run["id"])
        self.work()
        self.assertEqual(Fit.objects.count(), 1)
        dead = self.start()
        Run.objects.filter(pk=dead["id"]).update(attempts=MOST_ATTEMPTS)
        self.work()
        self.assertEqual(Run.objects.get(pk=dead["id"]).status, RunStatus.FAILED)

    def test_the_handover_files_agree_with_the_fit(self) -> None:
        self.start()
        self.work()
        row = Fit.objects.get()
        got = {
            name: self.client.get(f"/api/fits/{row.pk}/files/{name}")
            for name in ("solution.json", "problem.json", "pools.csv", "placement.csv", "solution.schema.json")
        }
        self.assertEqual({answer.status_code for answer in got.values()}, {200})
        text = {name: answer.content.decode() for name, answer in got.items()}
        self.assertTrue(check(read_problem(text["problem.json"]), read_solution(text["solution.json"])).holds)
        self.assertEqual(json.loads(text["solution.schema.json"])["$id"], "urn:rombel:fit-solution:1")
        pools = list(csv.DictReader(io.StringIO(text["pools.csv"])))
        placed = list(csv.DictReader(io.StringIO(text["placement.csv"])))
        self.assertEqual(sum(int(line["nodes"]) for line in pools), len(self.bench()["fit"]["nodes"]))
        self.assertEqual(sum(int(line["replicas"]) for line in placed), self.bench()["study"]["replicas"])
        self.assertEqual(self.client.get(f"/api/fits/{row.pk}/files/secret").status_code, 422)
