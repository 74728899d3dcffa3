"""Fits in the background: stored checked and whole, stopped, made again, and handed over."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import replace
from decimal import Decimal
from typing import Any
from unittest import mock

from api.tests.base import WorkerCase
from jobs.claims import MOST_ATTEMPTS
from jobs.models import Job, JobStatus
from jobs.tasks import put
from rombel.fit import Progress, check, fit
from rombel.formats import read_problem, read_solution, write_solution
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitSolution, FitStatus
from runs.models import Fit, Inquiry, Run


def dear(solution: FitSolution) -> FitSolution:
    """Return an answer that costs more than it must: it has an empty node too many."""
    nodes = (replace(solution.nodes[0], count=1, replicas={}), *solution.nodes)
    cost = solution.cost_per_hour + Decimal(1)
    return replace(solution, nodes=nodes, landing=None, cost_per_hour=cost, status=FitStatus.FEASIBLE)


class RunsCase(WorkerCase):
    """A small study whose reference is fitted; classes of tests are shared out over processes, so there are several."""

    def setUp(self) -> None:
        self.variant = self.make()
        self.client = self.signed_in("planner")

    def start(self) -> Any:
        answer = self.send(self.client, "post", f"/variants/{self.variant.pk}/runs")
        self.assertEqual(answer.status_code, 201)
        return answer.json()

    def bench(self) -> Any:
        return self.client.get(f"/api/variants/{self.variant.pk}/bench").json()


class TestRuns(RunsCase):
    def test_a_fit_is_computed_by_the_worker_and_can_be_made_again(self) -> None:
        self.variant.study.workloads.filter(name="mailer").update(promised=False)
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
        self.assertEqual(sum(n["count"] * sum(n["replicas"].values()) for n in nodes), bench["study"]["replicas"])
        self.assertEqual(bench["fit"]["left_out"], ["bookings/mailer"])
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"survive_zone": "none"})
        self.assertFalse(self.bench()["fit_is_current"])

    def test_the_same_inputs_never_cost_more_than_they_did(self) -> None:
        self.start()
        self.work()
        first = Fit.objects.get()
        dearer = dear(read_solution(first.solution))
        for change in ({"most_pools": 2}, {"most_pools": None}):
            self.send(self.client, "patch", f"/variants/{self.variant.pk}", change)
            self.start()
            with mock.patch("runs.background.fit", lambda *_, **__: dearer):
                self.work()
        last = Fit.objects.order_by("run_id", "pk").last()
        assert last is not None
        self.assertEqual(
            (last.digest, last.cost_per_hour, last.status), (first.digest, first.cost_per_hour, first.status)
        )
        self.assertTrue(check(read_problem(last.problem), read_solution(last.solution)).holds)

    def test_after_an_edit_a_quick_answer_from_the_last_one_is_stored_before_the_whole_fit(self) -> None:
        self.start()
        self.work()
        first = Fit.objects.get()
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"most_pools": 3})
        self.start()
        seen: list[Fit] = []

        def watched(*args: Any, **more: Any) -> Any:
            seen.extend(Fit.objects.exclude(pk=first.pk))
            return fit(*args, **more)

        with mock.patch("runs.background.fit", watched):
            self.work()
        (quick,), whole = seen, Fit.objects.exclude(pk=first.pk).get()
        self.assertEqual((quick.after_id, whole.after_id, quick.run_id), (first.pk, first.pk, whole.run_id))
        problem = read_problem(quick.problem)
        for row in (quick, whole):
            self.assertTrue(check(problem, read_solution(row.solution)).holds)
        self.assertLessEqual(whole.cost_per_hour, quick.cost_per_hour)
        self.assertLess(quick.seconds, whole.seconds)
        self.assertEqual((self.bench()["run"]["answers"], self.bench()["fit"]["id"]), (1, whole.pk))

    def test_a_newer_run_stops_the_older_and_one_of_the_same_inputs_joins_it(self) -> None:
        first = self.start()
        self.assertEqual(self.start()["id"], first["id"])
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"most_pools": 3})
        second = self.start()
        self.assertTrue(Run.objects.get(pk=first["id"]).stop_requested)
        self.work()
        self.assertEqual(Run.objects.get(pk=first["id"]).fits.count(), 0)
        self.assertEqual(self.bench()["fit"]["id"], Fit.objects.get(run=second["id"]).pk)

    def test_an_answer_that_comes_late_is_never_shown_before_a_newer_runs(self) -> None:
        """What a run answers belongs to its inputs: an older one that ends last stays behind."""
        first = self.start()
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"most_pools": 3})
        second = self.start()
        older, newer = (Run.objects.get(pk=run["id"]) for run in (first, second))
        with mock.patch("runs.background.is_superseded", return_value=False):
            self.do(newer)
            Job.objects.filter(run=older).update(stop_requested=False)
            self.do(older)
        self.assertEqual(Fit.objects.count(), 2)
        self.assertEqual(self.bench()["fit"]["id"], Fit.objects.get(run=second["id"]).pk)

    def test_a_stopped_run_keeps_the_best_so_far(self) -> None:
        run = self.start()
        self.send(self.client, "post", f"/runs/{run['id']}/stop")
        self.work()
        self.assertEqual(Run.objects.get().status, "done")
        self.assertLessEqual(set(Fit.objects.values_list("status", flat=True)), {"stopped", "optimal"})


class TestQuestions(RunsCase):
    def test_the_price_of_each_promise_and_every_type_are_known_soon_after_a_fit(self) -> None:
        self.start()
        self.work()
        path = f"/variants/{self.variant.pk}/inquiries"
        self.assertEqual(self.client.get(f"/api{path}/promises").json()["status"], "queued")
        self.work("ask")
        found, fit = self.client.get(f"/api{path}/promises").json(), self.bench()["fit"]
        self.assertEqual((found["status"], found["is_current"], found["fit_id"]), ("done", True, fit["id"]))
        loss = next(entry for entry in found["promises"]["prices"] if entry["key"] == "survive_zone")
        self.assertAlmostEqual(float(loss["price"]), float(fit["cost_per_month"]) - float(loss["without"]), 1)
        chosen = {row["instance_type"] for row in found["promises"]["types"] if row["status"] == "chosen"}
        self.assertEqual(chosen, {pool["instance_type"] for pool in fit["pools"]})
        self.assertEqual(self.send(self.client, "post", path, {"question": "conflict"}).status_code, 422)
        self.assertEqual(self.send(self.signed_in("viewer"), "post", path, {"question": "promises"}).status_code, 403)
        again = self.send(self.client, "post", path, {"question": "promises"}).json()
        self.send(self.client, "post", f"/inquiries/{again['id']}/stop")
        self.work("ask")
        stopped = self.client.get(f"/api{path}/promises").json()
        self.assertEqual((stopped["status"], stopped["promises"]["prices"]), ("done", []))
        self.assertTrue(stopped["promises"]["types"])
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"survive_zone": "none"})
        self.assertFalse(self.client.get(f"/api{path}/promises").json()["is_current"])
        self.assertEqual(self.send(self.client, "post", path, {"question": "promises"}).status_code, 422)

    def test_prices_asked_by_themselves_give_way_to_a_question_and_go_on_where_they_were(self) -> None:
        """Of two rules one is priced; then a planner asks, and the prices wait, known ones kept, until that is answered."""
        self.start()
        self.work()
        inquiry = Inquiry.objects.get(question="promises")
        Job.objects.filter(inquiry__question="drills").update(status="done")  # They go before prices as well.
        fits: list[str] = []

        def priced(problem: FitProblem, **given: Any) -> FitSolution:
            fits.append("fit")
            if len(fits) == 2:
                self.send(self.client, "post", f"/variants/{self.variant.pk}/inquiries", {"question": "levels"})
            given["observer"].on_progress(Progress("improving", 0.5, Decimal(0), Decimal(0)))
            return fit(problem, **given)

        with (
            mock.patch("rombel.inquiry.promises.fit", priced),
            mock.patch("jobs.control.TELL_EVERY_S", -1.0),
            mock.patch("jobs.control.WAITS_S", 0.0),
        ):
            self.do(inquiry)
            self.assertEqual((inquiry.status, len(inquiry.answer["prices"]), inquiry.job.attempts), ("queued", 1, 0))
            ahead = self.client.get(f"/api/variants/{self.variant.pk}/inquiries/promises").json()["ahead"]
            self.assertGreaterEqual(ahead, 0)
            Job.objects.filter(inquiry__question="levels").update(status="done")
            self.do(inquiry)
        keys = [row["key"] for row in inquiry.answer["prices"]]
        self.assertEqual((inquiry.status, len(keys)), ("done", len(set(keys))))
        self.assertGreater(len(keys), 1)

    def test_one_design_serves_every_level_and_each_level_can_be_looked_at(self) -> None:
        path = f"/variants/{self.variant.pk}/inquiries"
        made = self.send(self.client, "post", path, {"question": "levels"}).json()
        self.work("ask")
        found = self.client.get(f"/api{path}/levels").json()
        self.assertEqual((found["status"], found["is_current"], found["levels"]["reasons"]), ("done", True, []))
        levels = {entry["level"]: entry for entry in found["levels"]["levels"]}
        mean = sum(float(entry["cost"]) * entry["share"] for entry in levels.values())
        self.assertAlmostEqual(float(found["levels"]["cost"]), mean, 1)
        for level, entry in levels.items():
            fit = self.client.get(f"/api/inquiries/{made['id']}/levels/{level}").json()
            self.assertEqual(
                (sum(node["count"] for node in fit["nodes"]), fit["cost_per_month"]), (entry["nodes"], entry["cost"])
            )
            for row in found["levels"]["limits"]:
                self.assertTrue(row["least"] <= row["nodes"][level] <= row["most"], row)
        self.assertEqual(self.client.get(f"/api/inquiries/{made['id']}/levels/never").status_code, 422)
        self.assertEqual(self.client.get("/api/inquiries/0/levels/peak").status_code, 404)

    def test_steps_lead_from_the_listed_cluster_to_a_plan_that_keeps_every_rule(self) -> None:
        path = f"/variants/{self.variant.pk}/inquiries"
        refused = self.send(self.client, "post", path, {"question": "steps"})
        self.assertIn("Import the listing", refused.json()["faults"][0]["fix"])
        self.list_cluster(self.variant.study)
        wrong = self.send(self.client, "post", path, {"question": "steps", "per_move": "-1"})
        self.assertEqual(wrong.status_code, 422)
        self.send(self.client, "post", path, {"question": "steps", "per_move": "10", "per_node": "200"})
        self.work("ask")
        found = self.client.get(f"/api{path}/steps").json()
        self.assertEqual((found["status"], found["is_current"]), ("done", True))
        road = found["steps"]
        self.assertTrue(road["broken"])
        others = road["steps"][1:]
        self.assertTrue(others)
        for step in road["steps"]:
            self.assertEqual(step["broken"], [])
        for step in others:
            self.assertGreaterEqual(float(step["saving"]) + 0.01, 10 * step["moved"] + 200 * len(step["new"]))
        saved = sum(float(step["saving"]) for step in road["steps"])
        self.assertAlmostEqual(float(road["cost"]) - saved, float(road["steps"][-1]["cost"]), 1)


class TestEnds(RunsCase):
    def test_an_infeasible_variant_is_answered_with_reasons(self) -> None:
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"zones": ["amber"]})
        self.start()
        self.work()
        answer = self.bench()["fit"]
        self.assertEqual((answer["status"], answer["nodes"]), ("infeasible", []))
        self.assertIn("cannot be survived", answer["reasons"][0])
        self.work("ask")
        conflict = self.client.get(f"/api/variants/{self.variant.pk}/inquiries/conflict").json()["conflict"]
        self.assertIn("survive the loss of any one zone, by reserved room", conflict["rules"])
        self.assertTrue(conflict["proved"])

    def test_a_rescued_job_computes_once_and_a_deadly_one_is_given_up(self) -> None:
        run = self.start()
        Job.objects.filter(run=run["id"]).update(status=JobStatus.RUNNING, attempts=1)
        self.work()
        put(Run.objects.get(pk=run["id"]).job)
        self.work()
        self.assertEqual(Fit.objects.count(), 1)
        dead = self.start()
        Job.objects.filter(run=dead["id"]).update(attempts=MOST_ATTEMPTS)
        self.work()
        self.assertEqual(Run.objects.get(pk=dead["id"]).status, JobStatus.FAILED)

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
        self.assertEqual(
            sum(int(line["nodes"]) for line in pools), sum(node["count"] for node in self.bench()["fit"]["nodes"])
        )
        self.assertEqual(sum(int(line["replicas"]) for line in placed), self.bench()["study"]["replicas"])
        self.assertEqual(self.client.get(f"/api/fits/{row.pk}/files/secret").status_code, 422)
