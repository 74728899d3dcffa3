"""A sweep computes every point once, from what was asked when it began, and keeps what is known whatever happens to its workers."""

from __future__ import annotations

import csv
import io
from decimal import Decimal
from typing import Any
from unittest import mock

from api.tests.base import WorkerCase
from jobs.models import Job, JobStatus
from rombel.fit import fit
from rombel.formats import read_problem
from rombel.model.fit_problem import Purchase
from rombel.model.quantity import HOURS_PER_MONTH
from runs.bills import fees_beside
from runs.inputs import digest_of
from runs.models import Fit
from runs.stored import stored_solution
from starters.trying import QUICK
from studies.models import Workload
from sweeps import background
from sweeps.models import Sweep, SweepPoint

GRID = "demand -50, 0, 50 % by promise none, reserved room"


class TestSweeps(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(5)
        self.study, self.client = self.variant.study, self.signed_in("planner")
        little = mock.patch("sweeps.background.PARAMS", QUICK)
        little.start()
        self.addCleanup(little.stop)

    def ask(self, sentence: str, status: int = 201) -> Any:
        answer = self.send(self.client, "post", f"/variants/{self.variant.pk}/sweeps", {"sentence": sentence})
        self.assertEqual(answer.status_code, status, answer.content[:400])
        return answer.json()

    def of(self, sweep: int) -> Any:
        return self.client.get(f"/api/sweeps/{sweep}").json()

    def test_every_point_is_a_fit_of_its_own_problem_and_what_was_answered_is_not_computed_again(self) -> None:
        plan = self.plan(self.variant)
        Fit.objects.update(proved_per_hour=0)  # As a whole answer has it, and a quick one has not.
        read = self.client.get(f"/api/variants/{self.variant.pk}/sweep-sentence", {"sentence": GRID}).json()
        self.assertEqual(read, {"told": "6 fits: 2 promises × 3 steps of demand", "fits": 6})
        made = self.ask(GRID)
        # What is asked is what stood when it was asked.
        Workload.objects.filter(study=self.study).update(replicas=1)
        self.work("points")
        found = self.of(made["id"])
        self.assertEqual((found["status"], found["known"], found["choices"], found["futures"]), ("done", 6, 2, 3))
        points = {(point["choice"], point["brings"][0]["value"]): point for point in found["points"]}
        own = points[1, "0 %"]
        row = SweepPoint.objects.get(sweep=made["id"], number=own["number"])
        # The variant as it stands is answered by the plan that it has.
        self.assertEqual((row.known, row.digest, row.cost_per_hour), (True, plan.digest, plan.cost_per_hour))
        fees = fees_beside(self.variant, stored_solution(plan).nodes)
        self.assertEqual(own["cost"], format(plan.cost_per_hour * HOURS_PER_MONTH + fees, ".2f"))
        self.assertTrue(found["with_fees"])
        for point in found["points"]:
            self.assertIn(point["status"], ("optimal", "feasible"))
            self.assertLessEqual(Decimal(point["floor"]), Decimal(point["cost"]))
            text = self.client.get(f"/api/sweeps/{made['id']}/points/{point['number']}/problem.json").content.decode()
            stored = SweepPoint.objects.get(sweep=made["id"], number=point["number"])
            self.assertEqual(digest_of(text), stored.digest)
            prices = {
                (entry.name, offer.purchase, offer.zone): offer.price_per_hour
                for entry in read_problem(text).instance_types
                for offer in entry.offers
            }
            pools = self.client.get(f"/api/sweeps/{made['id']}/points/{point['number']}").json()
            paid = sum(prices[p["instance_type"], Purchase(p["purchase"]), p["zone"]] * p["nodes"] for p in pools)
            self.assertEqual(paid, stored.cost_per_hour)
        # Less demand and weaker promises never cost more.
        for choice in (0, 1):
            rising = [Decimal(points[choice, value]["cost"]) for value in ("-50 %", "0 %", "+50 %")]
            self.assertEqual(rising, sorted(rising))
        without, with_room = found["outcomes"]
        self.assertEqual((without["worst_regret"], without["cheapest"]), ("0.00", 3))
        self.assertGreater(Decimal(with_room["worst_regret"]), 0)
        self.assertAlmostEqual(sum(driver["share"] for driver in found["drivers"]), 1, delta=0.2)
        with mock.patch("sweeps.background.fit", side_effect=AssertionError("computed again")):
            Workload.objects.filter(study=self.study).delete()
            repeated = Sweep.objects.get(pk=made["id"])
            SweepPoint.objects.filter(sweep=repeated, number__gte=3).delete()
            self.send(self.client, "post", f"/sweeps/{made['id']}/resume")
            self.assertEqual(Sweep.objects.get(pk=made["id"]).job.parts.count(), 3)
        self.assertEqual(self.of(made["id"])["known"], 3)
        rows = list(
            csv.DictReader(io.StringIO(self.client.get(f"/api/sweeps/{made['id']}/points.csv").content.decode()))
        )
        self.assertEqual([row["demand_percent"] for row in rows], ["-50", "0", "50"])
        self.assertEqual({row["sentence"] for row in rows}, {GRID})

    def test_a_repeated_sweep_takes_its_answers_from_the_first(self) -> None:
        first = self.ask(GRID)["id"]
        self.work("points")
        second = self.ask("promise none, reserved room by demand 50, -50 %")["id"]
        with mock.patch("sweeps.background.fit", side_effect=AssertionError("computed again")):
            self.work("points")
        self.assertEqual((self.of(second)["status"], self.of(second)["again"]), ("done", 4))
        costs = [
            {(p["choice"], p["brings"][0]["value"]): p["cost"] for p in self.of(key)["points"]}
            for key in (first, second)
        ]
        self.assertEqual(costs[1], {key: cost for key, cost in costs[0].items() if key[1] != "0 %"})

    def test_what_is_known_stays_when_a_sweep_stops_or_a_part_fails_and_the_rest_is_computed_once(self) -> None:
        made = self.ask(GRID)["id"]
        real, calls = background._answer, 0

        def dying(*given: Any) -> Any:
            nonlocal calls
            calls += 1
            if calls == 2:
                raise RuntimeError("a fault of ours")
            if calls == 4:
                self.assertEqual(self.send(self.client, "post", f"/sweeps/{made}/stop").status_code, 204)
            return real(*given)

        with mock.patch("sweeps.background._answer", dying), self.assertLogs("rombel.jobs", "ERROR"):
            self.work("points")
        found = self.of(made)
        self.assertEqual((found["status"], found["stop_requested"]), ("failed", True))
        # The point under way is given up, unless it was known before the wish was heard.
        self.assertIn(found["known"], (2, 3))
        before = list(SweepPoint.objects.filter(sweep=made).values_list("pk", flat=True))
        self.send(self.client, "post", f"/sweeps/{made}/resume")
        self.assertEqual(self.send(self.client, "delete", f"/sweeps/{made}").status_code, 422)
        # Pressed twice it goes on once.
        self.send(self.client, "post", f"/sweeps/{made}/resume")
        self.work("points")
        self.assertEqual((self.of(made)["status"], self.of(made)["known"]), ("done", 6))
        kept = SweepPoint.objects.filter(sweep=made).values_list("pk", flat=True)
        self.assertLessEqual(set(before), set(kept))
        self.assertEqual(Job.objects.filter(kind="sweep", parent=None).count(), 1)
        self.assertEqual(self.send(self.client, "delete", f"/sweeps/{made}").status_code, 204)
        self.assertEqual((Job.objects.filter(kind="sweep").count(), SweepPoint.objects.count()), (0, 0))

    def test_a_fault_of_ours_at_one_point_is_told_there_and_tried_again_when_asked(self) -> None:
        made = self.ask("demand 0, 10, 20 %")["id"]
        real = fit

        def broken(problem: Any, **more: Any) -> Any:
            if problem.workloads[0].replicas != real_replicas:
                from rombel.errors import CheckFailed

                raise CheckFailed(["a node is too full"])
            return real(problem, **more)

        real_replicas = Workload.objects.filter(study=self.study).order_by("position")[0].replicas
        with mock.patch("sweeps.background.fit", broken), self.assertLogs("rombel.sweeps", "ERROR"):
            self.work("points")
        found = self.of(made)
        statuses = [point["status"] for point in found["points"]]
        self.assertEqual((statuses.count("failed"), found["outcomes"][0]["unplanned"]), (2, 0))
        self.send(self.client, "post", f"/sweeps/{made}/resume")
        self.work("points")
        self.assertTrue({point["status"] for point in self.of(made)["points"]} <= {"optimal", "feasible"})

    def test_what_makes_no_problem_and_who_may_not_are_told_before_anything_is_stored(self) -> None:
        self.assertIn("says nothing", self.ask("whatever comes", 422)["faults"][0]["reason"])
        path = f"/variants/{self.variant.pk}/sweeps"
        self.assertEqual(self.send(self.signed_in("viewer"), "post", path, {"sentence": GRID}).status_code, 403)
        Workload.objects.filter(study=self.study).delete()
        self.assertIn("no demand", self.ask(GRID, 422)["faults"][0]["reason"])
        self.assertEqual((Sweep.objects.count(), Job.objects.count()), (0, 0))

    def test_another_region_that_cannot_keep_the_promise_says_why_and_fees_are_left_out_of_all(self) -> None:
        made = self.ask("regions all")["id"]
        self.work("points")
        found = self.of(made)
        self.assertEqual((found["status"], found["with_fees"]), ("done", False))
        self.assertEqual(found["known"], found["fits"])
        self.assertGreater(found["fits"], 1)
        for point in found["points"]:
            self.assertTrue(point["cost"] or point["reason"], point)
        self.assertEqual(JobStatus.DONE, Sweep.objects.get(pk=made).job.status)
