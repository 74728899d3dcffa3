"""Whoever runs an installation is told what is so: what waits, who works, what failed; and a failed job is begun again once."""

from __future__ import annotations

import threading
import time
import urllib.request
from contextlib import suppress
from datetime import timedelta
from typing import Any

from django.db import OperationalError, connection
from django.test import TransactionTestCase
from django.utils import timezone
from prometheus_client import CollectorRegistry, start_http_server
from prometheus_client.openmetrics.parser import text_string_to_metric_families

from accounts.models import AuditEntry, User
from api.tests.base import ApiCase, WorkerCase
from house.models import present_rules
from jobs.asking import new_job
from jobs.claims import OtherVersion, claim
from jobs.management.commands.metrics import Standing
from jobs.models import Job, JobStatus
from jobs.presence import present
from jobs.tasks import adopt
from jobs.versions import code_version
from runs.actions.start_run import StartRun
from runs.models import Fit

OTHER = "0.1.0+another"


class TestStatements(WorkerCase):
    """Each look is a transaction of its own, within which the database shows one moment."""

    def test_what_the_database_works_on_for_long_is_told_without_values_and_what_took_long_is_written_down(
        self,
    ) -> None:
        self.make(1)
        lead = self.signed_in("lead")

        def slow() -> None:
            with connection.cursor() as cursor, suppress(OperationalError):
                cursor.execute("select pg_sleep(90), %s", ["a secret"])
            connection.close()

        thread = threading.Thread(target=slow)
        with self.assertLogs("rombel.database", "WARNING") as logged:
            thread.start()
            last = time.monotonic() + 80
            while not (found := lead.get("/api/operations").json()["statements"]):
                self.assertLess(time.monotonic(), last)
                time.sleep(0.2)
            with connection.cursor() as cursor:
                cursor.execute(
                    "select pg_cancel_backend(pid) from pg_stat_activity where query like 'select pg_sleep(90)%'"
                )
            thread.join()
        self.assertGreater(found[0]["seconds"], 1)
        self.assertIn("pg_sleep(90)", found[0]["words"])
        line = next(vars(record) for record in logged.records if "pg_sleep" in vars(record)["statement"])
        self.assertGreater(line["ms"], 1000)
        self.assertNotIn("a secret", f"{found} {line}")


class TestOperations(ApiCase):
    def setUp(self) -> None:
        self.variant = self.make()
        self.lead = self.signed_in("lead")

    def asked(self) -> Job:
        return StartRun(User.objects.get(username="planner"), self.variant).run().job

    def told(self) -> Any:
        answer = self.lead.get("/api/operations")
        self.assertEqual(answer.status_code, 200, answer.content[:300])
        return answer.json()

    def test_only_leads_are_told_and_begin_again(self) -> None:
        job = self.asked()
        for role in ("owner", "viewer", "planner"):
            client = self.signed_in(role)
            self.assertEqual(client.get("/api/operations").status_code, 403)
            self.assertEqual(self.send(client, "post", f"/operations/jobs/{job.pk}/again").status_code, 403)

    def test_what_waits_who_works_and_on_what_is_what_is_so(self) -> None:
        first, second = self.asked(), new_job("promises", "of other code", None)
        Job.objects.filter(pk=second.pk).update(for_version=OTHER, created_at=timezone.now() - timedelta(seconds=100))
        with present("plan,ask", 1) as worker:
            self.assertIsNotNone(claim(first.pk))
            with self.assertRaises(OtherVersion):
                claim(second.pk)
            found = self.told()
            lines = {own["name"]: (own["waiting"], own["running"], own["other_code"]) for own in found["queues"]}
            self.assertEqual(lines, {"plan": (0, 1, 0), "ask": (1, 0, 1)})
            self.assertGreater(next(own["oldest_s"] for own in found["queues"] if own["name"] == "ask"), 99)
            (line,) = found["workers"]
            self.assertEqual(
                (line["process"], line["same_code"], line["jobs"]), (worker.process, True, ["fit: Small, reference"])
            )
            # Whoever lives has other code than was asked, and what has waited long is done by them.
            self.assertEqual(adopt(), 1)
            self.assertIsNotNone(claim(second.pk))
        self.assertEqual(self.told()["workers"], [])
        self.assertGreater(found["database_bytes"], sum(own["size_bytes"] for own in found["tables"]) - 1)

    def test_answers_that_are_kept_are_counted(self) -> None:
        self.plan(self.variant)
        Fit.objects.update(kept=True)
        self.plan(self.variant)
        kept = self.told()["kept"]
        self.assertEqual((kept["answers"], kept["handed_in"]), (2, 1))
        self.assertEqual((kept["newest"], kept["days"]), (present_rules().kept_answers, present_rules().kept_days))

    def test_jobs_are_kept_for_their_code_as_long_as_somebody_has_it(self) -> None:
        job = new_job("promises", "", None)
        self.assertEqual(job.for_version, code_version())
        Job.objects.filter(pk=job.pk).update(created_at=timezone.now() - timedelta(hours=1))
        self.assertEqual(adopt(), 0)
        with present("plan", 1) as other:
            type(other).objects.filter(pk=other.pk).update(version=OTHER)
            with present("plan", 1):
                self.assertEqual(adopt(), 0)
            self.assertEqual(adopt(), 1)

    def test_a_failed_job_is_begun_again_and_what_cannot_be_says_so(self) -> None:
        job, text = self.asked(), new_job("text", "a file", None)
        stopped = new_job("promises", "stopped", None)
        ended = {"status": JobStatus.FAILED, "message": "out of memory", "attempts": 4, "finished_at": timezone.now()}
        Job.objects.update(**ended)
        Job.objects.filter(pk=stopped.pk).update(stop_requested=True)
        failed = {own["id"]: (own["message"], own["again"]) for own in self.told()["failed"]}
        self.assertEqual(
            failed,
            {job.pk: ("out of memory", True), text.pk: ("out of memory", False), stopped.pk: ("out of memory", False)},
        )
        for key in (text.pk, stopped.pk):
            refused = self.send(self.lead, "post", f"/operations/jobs/{key}/again")
            self.assertEqual((refused.status_code, refused.json()["faults"][0]["code"]), (422, "job.again"))
        self.assertEqual(self.send(self.lead, "post", "/operations/jobs/999999/again").status_code, 404)
        for _ in range(2):
            self.assertEqual(self.send(self.lead, "post", f"/operations/jobs/{job.pk}/again").status_code, 204)
        self.assertEqual(AuditEntry.objects.filter(action="jobs.again").count(), 1)
        self.do(job.run)
        job.refresh_from_db()
        self.assertEqual((job.status, job.attempts), ("done", 1))


class TestFigures(TransactionTestCase):
    def test_whoever_asks_for_open_metrics_gets_them(self) -> None:
        new_job("promises", "", None)
        registry = CollectorRegistry()
        registry.register(Standing())
        server, thread = start_http_server(0, "127.0.0.1", registry)
        try:
            asked = urllib.request.Request(
                f"http://127.0.0.1:{server.server_port}/metrics",
                headers={"Accept": "application/openmetrics-text; version=1.0.0"},
            )
            with urllib.request.urlopen(asked, timeout=20) as answer:
                text = answer.read().decode()
        finally:
            server.shutdown()
            server.server_close()
            thread.join(10)
        found = {
            (sample.name, sample.labels.get("queue", "")): sample.value
            for family in text_string_to_metric_families(text)  # type: ignore[no-untyped-call]
            for sample in family.samples
        }
        self.assertEqual(found["rombel_jobs_waiting", "ask"], 1)
        self.assertEqual(found["rombel_database_up", ""], 1)
        self.assertGreater(found["rombel_database_size_bytes", ""], 2**20)
