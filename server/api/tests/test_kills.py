"""Workers are killed at twenty random moments: no job is lost, none is done twice, and what was begun too often says so."""

from __future__ import annotations

import os
import random
import signal
import time
from contextlib import suppress

from api.tests.installation import InstallationCase
from demo.supply import demo_price_list
from stand_ins.build_service import Account, BuildServiceStandIn, Kept
from stand_ins.hosting import hosted
from stand_ins.manners import CALM

KILLS = 20
STUDIES = 6
ROWS = 1500
SEED = 20261201
"""Which moments they are."""
ASKED = "kind in ('fit', 'text')"
"""The questions that follow a fit wait in a queue that nobody works on here."""

ASK = f"""
from studies.actions.hand_text import HandText
from studies.importing import Source
rows = "".join(f"ns,w{{n}}-{{'x' * 50}},1,100m,1Gi,{{'o' * 100}},{{'s' * 60}}\\n" for n in range({ROWS}))
text = "namespace,name,replicas,cpu,memory,owner,service\\n" + rows
for number in range({STUDIES}):
    ask_for_fit(f"Fitted {{number}}", 8 + number)
    filled = Study.objects.create(name=f"Filled {{number}}", created_by=planner)
    for takes in (True, False):
        HandText(planner, filled, Source("csv", text, f"{{number}}.csv"), takes=takes).run()
"""


BUILD_KILLS = 3
BUILD = """
import django; django.setup()
from api.tests.base import WorkerCase
from accounts.models import User
from builds.actions.start_build import StartBuild
from builds.listed import Asked, to_do
from catalogue.models import Provider
from studies.models import Variant
from studies.queries import variant_by_id
case = WorkerCase()
variant = case.make(rows=6, survive="none")
case.plan(variant)
Variant.objects.update(build={"cluster": "quay", "version_to": "1.31"}, addresses={"parent": "10.72.0.0/14", "public": True})
Provider.objects.filter(name="Skerry Compute").update(service_url="ADDRESS")
now = variant_by_id(variant.pk)
StartBuild(User.objects.get(username="planner"), now, to_do(now, Asked()).digest, "a trial").run()
"""


class TestKills(InstallationCase):
    def test_what_killed_workers_leave_is_done_once_by_others(self) -> None:
        self.prepared()
        self.script(ASK)
        self.started("worker", "--queues", "plan,rescue", "--jobs", "3")
        rng, killed = random.Random(SEED), 0
        last = time.monotonic() + 600
        while killed < KILLS and self.left():
            self.assertLess(time.monotonic(), last, self.told())
            # Often within a job, sometimes between two, sometimes before a worker has shown that it lives.
            time.sleep(rng.uniform(0, 2.5))
            killed += self.kill_one(rng)
        self.until(lambda: not self.left(), 600)
        # Fewer only where all was done before: never so few that hardly anything was interrupted.
        self.assertGreaterEqual(killed, KILLS // 4)
        failed = self.sql(f"select kind, attempts, message from jobs_job where {ASKED} and status = 'failed'")
        for _, attempts, message in failed:
            self.assertGreater(attempts, 3)
            self.assertIn("worker", message)
        count = f"select count(*) from jobs_job where {ASKED} and status = 'done'"
        self.assertEqual(self.sql(count)[0][0] + len(failed), 3 * STUDIES)
        # A fit that was done has one answer, whoever began it before.
        done = self.sql(
            "select count(*) from runs_run run join jobs_job job on job.id = run.job_id where job.status = 'done'"
        )
        self.assertEqual(self.sql("select count(*), count(distinct run_id) from runs_fit"), [(done[0][0], done[0][0])])
        # A text was taken whole and once: its rows are there, with one edit that can be undone; or nothing of it is.
        for study, rows, edits in self.sql(
            "select study.id, (select count(*) from studies_workload where study_id = study.id),"
            " (select count(*) from studies_edit where study_id = study.id) from studies_study study where name like 'Filled%'"
        ):
            taken = self.sql(
                "select count(*) from studies_largetext text join jobs_job job on job.id = text.job_id"
                f" where text.study_id = {study} and text.takes and job.status = 'done'"
            )[0][0]
            self.assertEqual((rows, edits), (ROWS * taken, taken))

    def test_a_build_whose_worker_is_killed_again_and_again_is_asked_for_once_and_followed_to_its_end(self) -> None:
        self.prepared()
        listed = demo_price_list("Skerry Compute")
        account = Account(lambda: listed, Kept(":memory:"), speed=15.0)
        address = self.enterContext(hosted(BuildServiceStandIn(account, CALM)))
        self.run_plain(BUILD.replace("ADDRESS", address))
        self.started("worker", "--queues", "builds,rescue", "--jobs", "1")
        rng, killed = random.Random(SEED), 0
        ended = "select status, attempts, message from jobs_job where kind = 'build' and status in ('done', 'failed')"
        last = time.monotonic() + 400
        while killed < BUILD_KILLS and not self.sql(ended):
            self.assertLess(time.monotonic(), last, self.told())
            time.sleep(rng.uniform(0, 2.5))
            killed += self.kill_one(rng)
        ((status, attempts, message),) = self.until(lambda: self.sql(ended), 400)
        # Fewer kills only where the provider was done before: on a slow machine others need longer to take over.
        self.assertGreaterEqual(killed, 2)
        self.assertEqual(status, "done", message)
        # The last one may have been killed just when it was done.
        self.assertIn(attempts, (killed, killed + 1))
        self.assertEqual(self.sql("select state from builds_clusterbuild"), [("done",)])
        self.assertEqual(len([*account._kept.all("build")]), 1)

    def kill_one(self, rng: random.Random) -> int:
        """Kill a worker that is at work; return how many were killed."""
        at_work = self.sql(
            "select worker.process from jobs_job job join jobs_worker worker on worker.id = job.process_id"
            " where job.status = 'running' and worker.seen_at > now() - interval '20 seconds'"
        )
        with suppress(ProcessLookupError):
            if at_work:
                os.kill(rng.choice(at_work)[0], signal.SIGKILL)
                return 1
        return 0

    def left(self) -> bool:
        return bool(self.sql(f"select 1 from jobs_job where {ASKED} and status in ('queued', 'running') limit 1"))
