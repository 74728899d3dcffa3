"""How much more two workers do of a sweep than one, and what a part costs beside its fit: ``./rombel bench sweep``.

One worker and two take turns on the same fits, twice each, in a database of their own. The machine should have nothing else to do.
"""

from __future__ import annotations

import subprocess
import sys
import time
from functools import partial

from api.tests.installation import SERVER, InstallationCase

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
BARE = """
import time
import django; django.setup()
from rombel.fit import fit
from rombel.plan import warm_up
from studies.adapt import problem_of
from studies.models import Variant
from studies.queries import variant_by_id
from sweeps.background import PARAMS
warm_up()
problem, began = problem_of(variant_by_id(Variant.objects.get().pk)), time.monotonic()
for seed in range(4): fit(problem, seed=seed, params=PARAMS)
print(time.monotonic() - began)
"""
"""The same kind of work in processes that know of no queue: what the machine itself allows two of them."""
TURNS = (1, 2, 2, 1)


class BenchSweep(InstallationCase):
    def test_workers(self) -> None:
        self.prepared()
        self.script(MADE)
        rates: dict[int, list[float]] = {1: [], 2: []}
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
            rates[workers].append(fits / seconds)
            print(
                f"{workers} worker(s): {parts} parts, {fits} fits in {seconds:.1f} s; {computed / (workers * seconds):.1%} of their"
                f" time computing, {1000 * (workers * seconds - computed) / parts:.0f} ms beside a part's fit",
                flush=True,
            )
            for process in running:
                self.killed(process)
            self.sql("delete from jobs_worker")
        one, two = (sum(rates[workers]) / len(rates[workers]) for workers in (1, 2))
        alone, together = self.bare(1), self.bare(2)
        print(f"fits a second by two workers, over twice those by one: {two / (2 * one):.2f}")
        print(f"the same of two bare processes, which is what the machine allows: {alone / together:.2f}")

    def lives(self, workers: int) -> bool:
        return bool(self.sql("select count(*) from jobs_worker")[0][0] == workers)

    def bare(self, processes: int) -> float:
        """Return the seconds that a process takes for its fits, where so many run at once."""
        environment = self.environment | {"DJANGO_SETTINGS_MODULE": "config.settings"}
        command = [sys.executable, "-c", BARE]
        running = [
            subprocess.Popen(command, cwd=SERVER, env=environment, stdout=subprocess.PIPE, text=True)
            for _ in range(processes)
        ]
        told = [float(process.communicate(timeout=900)[0].splitlines()[-1]) for process in running]
        return sum(told) / len(told)
