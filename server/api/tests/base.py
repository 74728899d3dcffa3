"""A server with the demo's people and catalogue, and clients signed in."""

from __future__ import annotations

import json
import threading
from collections.abc import Callable
from typing import Any, cast

from django.conf import settings
from django.db import connection
from django.test import Client, TestCase, TransactionTestCase, override_settings
from procrastinate.contrib.django import app
from procrastinate.contrib.django.django_connector import DjangoConnector

from accounts.models import Role, User
from catalogue.models import Region
from demo.cluster import demo_listing
from demo.demand import summer_demand
from demo.load import load_catalogue
from jobs.asking import done_job
from jobs.models import Worked
from jobs.tasks import work
from measured.adapt import store_listing
from rombel.fit import fit
from rombel.formats import read_manifests, write_problem
from runs.inputs import digest_of, inputs_of
from runs.models import Fit, Run, StatedProblem
from runs.stored import keep_answer
from starters.trying import QUICK
from studies.adapt import fields_of, problem_of
from studies.models import Study, Variant, Workload
from studies.queries import variant_by_id

WORK: Any = work
MANIFEST = """kind: Deployment
metadata: {name: kiosk, namespace: cafes}
spec:
  replicas: 4
  template:
    spec:
      containers:
        - {name: a, resources: {requests: {cpu: 250m, memory: 1Gi}}}
"""


class Fixture:
    """Rows and requests that several tests share."""

    def make(self, rows: int = 8, survive: str = "landing") -> Variant:
        """Make people, catalogue and a small study; return its reference."""
        for role in Role.values:
            User.objects.create_user(role, password="pw-for-tests", role=role)
        load_catalogue()
        region = Region.objects.get(name="north-sound")
        study = Study.objects.create(name="Small", created_by=User.objects.get(username="planner"))
        Workload.objects.bulk_create(
            Workload(study=study, **fields_of(row, place)) for place, row in enumerate(summer_demand()[:rows])
        )
        return Variant.objects.create(
            study=study,
            name="reference",
            position=0,
            is_reference=True,
            region=region,
            zones=["amber", "birch", "cedar"],
            survive_zone=survive,
        )

    def plan(self, variant: Variant) -> Fit:
        """Store a plan of a variant that was looked for with little effort."""
        now = variant_by_id(variant.pk)
        problem = problem_of(now)
        text = write_problem(problem)
        job = done_job("fit", now.name, now.study.created_by)
        run = Run.objects.create(
            job=job, variant=now, stated=StatedProblem.of(text), digest=digest_of(text), inputs=inputs_of(now)
        )
        return keep_answer(run, fit(problem, params=QUICK), 0.0)

    def list_cluster(self, study: Study, rows: int = 8) -> None:
        """Give the study the demo's running cluster, with the replicas of its first rows."""
        running = read_manifests(json.dumps(demo_listing(summer_demand()[:rows], ["amber", "birch", "cedar"]))).running
        assert running is not None
        study.running = store_listing(running, "cluster.json", study.created_by)
        study.save()

    def do(self, row: Worked) -> None:
        """Do the job of a row, as a worker would."""
        WORK(None, row.job_id)
        row.refresh_from_db()

    def signed_in(self, role: str) -> Client:
        """Return a client signed in under a role, with CSRF checks on."""
        client = Client(enforce_csrf_checks=True)
        client.force_login(User.objects.get(username=role))
        client.get("/")
        return client

    def send(self, client: Client, method: str, path: str, body: Any = None) -> Any:
        """Send JSON with the CSRF token and return the response."""
        token = client.cookies["csrftoken"].value
        return getattr(client, method)(
            f"/api{path}", json.dumps(body or {}), content_type="application/json", headers={"X-CSRFToken": token}
        )


NOTHING_KEPT = {"BACKEND": "django.core.cache.backends.dummy.DummyCache"}
NOT_SHARED = {**settings.CACHES, "shared": NOTHING_KEPT, "own": NOTHING_KEPT}


# Versions are counted where a transaction ends, and this one never does.
@override_settings(CACHES=NOT_SHARED)
class ApiCase(Fixture, TestCase):
    """Within one transaction; no worker sees its jobs."""


class WorkerCase(Fixture, TransactionTestCase):
    """With a real worker run in the test's own process."""

    def work(self, *queues: str) -> None:
        """Let a worker do everything that waits in the queues; none named: the fits."""
        with app.replace_connector(cast("DjangoConnector", app.connector).get_worker_connector()) as worker:
            worker.run_worker(
                wait=False, install_signal_handlers=False, listen_notify=False, queues=[*queues] or ["plan"]
            )

    def together(self, *calls: Callable[[], Any]) -> list[Any]:
        """Let calls run at the same time, and return what each returned."""
        answers: dict[int, Any] = {}
        start = threading.Barrier(len(calls))

        def one(place: int) -> None:
            start.wait()
            try:
                answers[place] = calls[place]()
            finally:
                connection.close()

        threads = [threading.Thread(target=one, args=(place,)) for place in range(len(calls))]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join()
        return [answers[place] for place in range(len(calls))]
