"""Workers are killed at twenty random moments: no job is lost, none is done twice, and what was begun too often says so."""

from __future__ import annotations

import os
import random
import signal
import time
from contextlib import suppress

from api.tests.installation import InstallationCase

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


class TestKills(InstallationCase):
    def test_what_killed_workers_leave_is_done_once_by_others(self) -> None:
        self.assertEqual(self.manage("migrate", "-v", "0")[0], 0)
        self.script(ASK)
        self.started("worker", "--queues", "plan,rescue", "--jobs", "3")
        rng, killed = random.Random(SEED), 0
        last = time.monotonic() + 600
        while killed < KILLS and self.left():
            self.assertLess(time.monotonic(), last, self.told())
            # Often within a job, sometimes between two, sometimes before a worker has shown that it lives.
            time.sleep(rng.uniform(0, 2.5))
            at_work = self.sql(
                "select worker.process from jobs_job job join jobs_worker worker on worker.id = job.process_id"
                " where job.status = 'running' and worker.seen_at > now() - interval '20 seconds'"
            )
            if at_work:
                with suppress(ProcessLookupError):
                    os.kill(rng.choice(at_work)[0], signal.SIGKILL)
                    killed += 1
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

    def left(self) -> bool:
        return bool(self.sql(f"select 1 from jobs_job where {ASKED} and status in ('queued', 'running') limit 1"))
