"""How much more two workers do of a sweep than one, and what a part costs beside its fit: ``./rombel bench sweep``.

One worker and two take turns on the same fits, twice each, in a database of their own. The machine should have nothing else to do.
"""

from __future__ import annotations

import time
from functools import partial

from api.tests.installation import InstallationCase

SENTENCE = "demand 0 to 46 step 2 %"
MADE = """
study = Study.objects.create(name="Swept", created_by=planner)
Workload.objects.bulk_create(Workload(study=study, **fields_of(row, place)) for place, row in enumerate(summer_demand()[:12]))
Variant.objects.create(study=study, name="reference", position=0, is_reference=True, region=region,
    zones=["amber", "birch", "cedar"], survive_zone="landing")
"""
SWEPT = f"""
import django; django.setup()
from accounts.models import User
from studies.queries import variant_by_id
from studies.models import Variant
from sweeps.actions.start_sweep import StartSweep
from sweeps.models import Sweep
Sweep.objects.all().delete()
StartSweep(User.objects.get(username="planner"), variant_by_id(Variant.objects.get().pk), {SENTENCE!r}).run()
"""
TURNS = (1, 2, 2, 1)


class BenchSweep(InstallationCase):
    def test_workers(self) -> None:
        self.assertEqual(self.manage("migrate", "-v", "0")[0], 0)
        self.script(MADE)
        took: dict[int, list[float]] = {1: [], 2: []}
        for workers in TURNS:
            running = [self.started("worker", "--queues", "points", "--jobs", "1") for _ in range(workers)]
            self.until(partial(self.lives, workers))
            # A worker that has just begun gets its compiled code ready first.
            time.sleep(15)
            self.run_plain(SWEPT)
            began = time.monotonic()
            self.until(lambda: self.sql("select 1 from jobs_job where parent_id is null and status = 'done'"), 1800)
            seconds = time.monotonic() - began
            fits, computed, parts = self.sql(
                "select count(*), sum(seconds), (select count(*) from jobs_job where parent_id is not null)"
                " from sweeps_sweeppoint where not known"
            )[0]
            took[workers].append(seconds)
            beside = (workers * seconds - computed) / parts
            print(
                f"{workers} worker(s): {fits} fits in {seconds:.1f} s, {computed:.1f} s of it computing;"
                f" {1000 * beside:.0f} ms beside a part's fit"
            )
            for process in running:
                self.killed(process)
            self.sql("delete from jobs_worker")
        one, two = (sum(took[workers]) / len(took[workers]) for workers in (1, 2))
        print(f"efficiency of two workers: {one / (2 * two):.2f} (1: twice as much is done as by one)")

    def lives(self, workers: int) -> bool:
        return bool(self.sql("select count(*) from jobs_worker")[0][0] == workers)
