"""Two people at once, the same request twice, workers that end before their work: nothing acknowledged is lost."""

from __future__ import annotations

import json
import uuid
from datetime import timedelta
from functools import partial
from typing import Any
from unittest import mock

from django.db import OperationalError, connection
from django.test import Client
from django.utils import timezone
from procrastinate.contrib.django import app

from accounts.models import AuditEntry
from api.tests.base import WorkerCase
from jobs.claims import GONE_S, StillHeld, claim
from jobs.models import Job, JobStatus
from jobs.tasks import queue_again
from runs.models import Fit, Run
from studies.models import Study, Workload


class TestRaces(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(3)
        self.study = self.variant.study
        self.client = self.signed_in("planner")

    def cell(self, client: Client, key: str, **cells: str) -> Any:
        return self.send(client, "patch", f"/studies/{self.study.pk}/demand", {"cells": {key: cells}})

    def test_edits_of_one_row_by_two_people_are_both_kept(self) -> None:
        key, other = str(self.study.workloads.all()[0].key), self.signed_in("lead")
        for turn in range(8):
            got = self.together(
                partial(self.cell, self.client, key, replicas=str(2 + turn)),
                partial(self.cell, other, key, owner=f"team {turn}"),
            )
            self.assertEqual([answer.status_code for answer in got], [204, 204])
            row = Workload.objects.get(key=key)
            self.assertEqual((row.replicas, row.owner), (2 + turn, f"team {turn}"))

    def test_two_choices_of_one_variant_are_both_kept(self) -> None:
        path, other = f"/variants/{self.variant.pk}", self.signed_in("lead")
        for turn in range(6):
            self.together(
                partial(self.send, self.client, "patch", path, {"most_pools": 2 + turn}),
                partial(self.send, other, "patch", path, {"lost_nodes": turn}),
            )
            self.variant.refresh_from_db()
            self.assertEqual((self.variant.most_pools, self.variant.lost_nodes), (2 + turn, turn))

    def test_an_undo_takes_back_what_its_sender_saw_or_nothing(self) -> None:
        key, path = str(self.study.workloads.all()[0].key), f"/studies/{self.study.pk}/undo"
        self.cell(self.client, key, replicas="5")
        seen = self.client.get(f"/api/variants/{self.variant.pk}/bench").json()["edits"]["undo_id"]
        self.cell(self.signed_in("lead"), key, owner="somebody else's")
        late = self.send(self.client, "post", f"{path}?edit_id={seen}")
        self.assertEqual((late.status_code, Workload.objects.get(key=key).owner), (409, "somebody else's"))
        self.assertIn("Somebody changed this study meanwhile", late.json()["title"])
        now = self.study.edits.last()
        assert now is not None
        got = self.together(*[lambda: self.send(self.client, "post", f"{path}?edit_id={now.pk}")] * 2)
        self.assertEqual(sorted(answer.status_code for answer in got), [204, 409])
        self.assertEqual(Workload.objects.get(key=key).replicas, 5)

    def test_raced_edits_can_all_be_undone_and_done_again(self) -> None:
        keys = [str(row.key) for row in self.study.workloads.all()]
        before = list(self.study.workloads.values("key", "replicas", "owner"))
        for turn in range(4):
            self.together(*[partial(self.cell, self.client, key, replicas=str(3 + turn)) for key in keys])
        after = list(self.study.workloads.values("key", "replicas", "owner"))
        for way, wanted in (("undo", before), ("redo", after)):
            while self.send(self.client, "post", f"/studies/{self.study.pk}/{way}").status_code == 204:
                pass
            self.assertEqual(list(self.study.workloads.values("key", "replicas", "owner")), wanted)

    def test_one_name_taken_by_two_at_once_is_taken_once(self) -> None:
        got = self.together(*[lambda: self.send(self.client, "post", "/studies", {"name": "Both want it"})] * 2)
        codes = sorted(answer.status_code for answer in got)
        self.assertEqual(codes[0], 201)
        self.assertIn(codes[1], (409, 422))
        got = self.together(
            *[lambda: self.send(self.client, "post", f"/variants/{self.variant.pk}/copies", {"name": "twin"})] * 2
        )
        self.assertIn(sorted(answer.status_code for answer in got)[1], (409, 422))

    def test_a_request_sent_twice_with_its_key_is_done_once(self) -> None:
        token, key = self.client.cookies["csrftoken"].value, uuid.uuid4().hex
        body = json.dumps({"name": "Once"})

        def post(text: str) -> Any:
            headers = {"X-CSRFToken": token, "Idempotency-Key": key}
            return self.client.post("/api/studies", text, content_type="application/json", headers=headers)

        first, again = post(body), post(body)
        self.assertEqual((first.status_code, again.status_code, again.json()), (201, 201, first.json()))
        self.assertEqual(Study.objects.filter(name="Once").count(), 1)
        self.assertEqual(post(json.dumps({"name": "Other"})).status_code, 422)

    def test_what_changes_nothing_leaves_no_trail(self) -> None:
        before = AuditEntry.objects.count()
        self.send(self.client, "patch", f"/variants/{self.variant.pk}", {"survive_zone": self.variant.survive_zone})
        self.assertEqual(AuditEntry.objects.count(), before)

    def test_a_study_is_deleted_by_its_typed_name_with_all_that_is_its_own(self) -> None:
        made = self.send(self.client, "post", f"/variants/{self.variant.pk}/copies", {"name": "spare"}).json()
        self.send(self.client, "post", f"/variants/{made['id']}/runs")
        self.work()
        # What was taken out goes with the study too.
        self.assertEqual(self.send(self.client, "delete", f"/variants/{made['id']}").status_code, 204)
        self.assertEqual(Fit.objects.count(), 1)
        path = f"/studies/{self.study.pk}"
        self.assertEqual(self.send(self.signed_in("viewer"), "delete", path, {"name": "Small"}).status_code, 403)
        self.assertEqual(self.send(self.client, "delete", path, {"name": "Small"}).status_code, 204)
        self.assertFalse(Study.objects.exists() or Fit.objects.exists())


class TestClaims(WorkerCase):
    def setUp(self) -> None:
        self.variant = self.make(3)
        self.client = self.signed_in("planner")
        self.run_id = self.send(self.client, "post", f"/variants/{self.variant.pk}/runs").json()["id"]
        self.job_id = Run.objects.get().job_id

    def gone(self) -> None:
        """Let the run's worker have been silent for too long."""
        Job.objects.update(seen_at=timezone.now() - timedelta(seconds=2 * GONE_S))

    def test_a_row_is_computed_by_one_worker_and_the_later_claim_wins(self) -> None:
        first = claim(self.job_id)
        assert first is not None
        with self.assertRaises(StillHeld):
            claim(self.job_id)
        self.gone()
        second = claim(self.job_id)
        assert second is not None
        self.assertEqual((first.write(share=0.9), second.write(share=0.1)), (False, True))
        self.assertFalse(first.close(JobStatus.DONE, ""))
        self.assertEqual(Run.objects.get().share, 0.1)

    def test_what_a_killed_worker_left_says_so_is_queued_again_and_ends(self) -> None:
        claim(self.job_id)
        self.gone()
        run = self.client.get(f"/api/runs/{self.run_id}").json()
        self.assertIn("its worker is gone", run["phase"])
        with connection.cursor() as cursor:
            cursor.execute("delete from procrastinate_jobs")
        self.assertEqual((queue_again(), queue_again()), (1, 0))
        self.work()
        self.assertEqual((Run.objects.get().status, Fit.objects.count()), ("done", 1))

    def test_the_rescue_looks_every_few_seconds(self) -> None:
        (found,) = [
            entry for entry in app.periodic_registry.periodic_tasks.values() if entry.task.name == "jobs.tasks.rescue"
        ]
        first, second = found.croniter.get_next(float), found.croniter.get_next(float)
        self.assertLessEqual(second - first, GONE_S / 3)

    def test_three_workers_that_end_are_enough(self) -> None:
        Job.objects.update(attempts=3, worker="gone", status=JobStatus.RUNNING)
        self.gone()
        run = Run.objects.get()
        self.do(run)
        self.assertEqual(run.status, "failed")
        self.assertIn("Three workers began this", run.message)

    def test_a_database_that_is_away_for_a_moment_costs_no_answer(self) -> None:
        """The answer waits for the database and is stored once it is back."""
        stored, tries = Fit.objects.create, []

        def flaky(**fields: Any) -> Fit:
            tries.append(1)
            if len(tries) == 1:
                raise OperationalError("the connection is lost")
            return stored(**fields)

        with mock.patch.object(Fit.objects, "create", flaky):
            self.do(Run.objects.get())
        self.assertEqual((len(tries), Run.objects.get().status, Fit.objects.count()), (2, "done", 1))
