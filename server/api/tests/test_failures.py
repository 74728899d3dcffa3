"""What an installation does when something fails it: two web servers at once, large files together, a disk that is full, jobs that eat memory."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import tempfile
import zlib
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import Any

from api.tests.installation import Browser, WebCase
from config.supervise import resident_bytes

PASSWORD = "pw-for-tests"
HEAD = "namespace,name,replicas,cpu,memory,owner\n"
DISK, PLANNED = "120m", 8
COUNTED = "select count(*) from studies_workload"
LARGE = 24 * 2**20 - 2**16
"""Nearly the largest text that is taken."""

EATER = """
import django; django.setup()
from django.core.management import call_command
from jobs.asking import new_job, start
from jobs.kinds import Kind, register
@register
class Eating(Kind):
    name = "eating"
    def given(self, job): return job.part
    def compute(self, given, control): return len([bytearray(2**20) for _ in range(given)])
    def store(self, job, given, result): return f"It took {result} MiB."
"""
ASK_EATER = EATER + "for part in (20_000, 10): start(new_job('eating', 'memory', None, part=part))\n"
WORK_EATER = EATER + "call_command('work', 'plan')\n"


def rows(count: int, width: int = 90) -> str:
    """Return a text of so many workloads."""
    return HEAD + "".join(f"ns,w{n},1,100m,1Gi,{'o' * width}\n" for n in range(count))


class FailingCase(WebCase):
    """Has tables, people and a catalogue."""

    def signed_in(self, somebody: Browser) -> None:
        somebody.call("GET", "/")
        somebody.ask("POST", "/session", {"username": "planner", "password": PASSWORD})


class TestFailures(FailingCase):
    def test_two_web_servers_are_one_for_whoever_uses_them(self) -> None:
        self.prepared()
        self.script("")
        (_, one), (_, two) = self.served(), self.served()
        self.signed_in(one)
        two.cookies = one.cookies
        self.assertEqual(two.ask("GET", "/session")["username"], "planner")
        # The same request at both at once is done once: the slower one gets the first answer, or is told to wait for it.
        with ThreadPoolExecutor(2) as both:
            asked = [both.submit(self.create, each, "Once") for each in (one, two)]
        statuses = sorted(each.result()[0] for each in asked)
        self.assertIn(statuses, ([201, 201], [201, 409]))
        self.assertEqual(len(one.ask("GET", "/studies")["studies"]), 1)
        study = one.ask("GET", "/studies")["studies"][0]
        one.ask("POST", f"/studies/{study['id']}/imports", {"format": "csv", "text": rows(16)})
        bench = f"/variants/{study['variants'][0]['id']}/bench"
        keys = [row["key"] for row in two.ask("GET", bench)["workloads"]]

        def edit(number: int) -> int:
            cells = {keys[number]: {"cpu": f"{200 + number}m"}}
            return (one, two)[number % 2].call("PATCH", f"/api/studies/{study['id']}/demand", {"cells": cells})[0]

        with ThreadPoolExecutor(8) as many:
            self.assertEqual(set(many.map(edit, range(16))), {204})
        # Each sees what was changed through the other, and nothing was written over.
        wanted = {key: 200 + number for number, key in enumerate(keys)}
        for each in (one, two):
            found = {row["key"]: row["cpu_millicores"] for row in each.ask("GET", bench)["workloads"]}
            self.assertEqual(found, wanted)
        self.assertEqual(one.call("DELETE", "/api/session")[0], 204)
        self.assertEqual(two.call("GET", "/api/session")[0], 401)

    def create(self, somebody: Browser, name: str) -> tuple[int, str, Any]:
        return somebody.call("POST", "/api/studies", {"name": name}, **{"Idempotency-Key": "the-same-request"})

    def test_the_largest_files_at_once_arrive_whole_while_others_are_answered(self) -> None:
        self.prepared()
        self.script("")
        process, planner = self.served()
        self.signed_in(planner)
        study = planner.ask("POST", "/studies", {"name": "Large"})["id"]
        text = rows(LARGE // 200, 175)[:LARGE]
        path = f"/api/studies/{study}/readings"
        with ThreadPoolExecutor(6) as many:
            sent = [many.submit(planner.call, "POST", path, {"format": "csv", "text": text}) for _ in range(6)]
            healths = []
            while not all(each.done() for each in sent):
                healths.append(planner.call("GET", "/healthz")[0])
        self.assertEqual({each.result()[0] for each in sent}, {202})
        self.assertEqual(set(healths), {200})
        kept = [zlib.decompress(content) for (content,) in self.sql("select content from studies_largetext")]
        self.assertEqual([len(kept), *(each == text.encode() for each in kept)], [6, *[True] * 6])
        # Six are 144 MiB; each may stand in memory a few times over while it is read, and not for longer.
        self.assertLess(resident_bytes(process.pid), 1200 * 2**20)

    def test_a_job_that_eats_memory_is_ended_and_told_and_its_worker_goes_on(self) -> None:
        self.prepared()
        self.run_plain(ASK_EATER)
        self.environment |= {"ROMBEL_JOB_MEMORY_MIB": "1000", "DJANGO_SETTINGS_MODULE": "config.settings"}
        self.started("-c", WORK_EATER, script="")
        jobs = "select status, message, attempts from jobs_job order by id"
        self.until(lambda: all(status not in ("queued", "running") for status, _, _ in self.sql(jobs)))
        (first, words, _), second = self.sql(jobs)
        self.assertEqual(first, "failed")
        self.assertIn("more memory than a worker may take", words)
        # The same process did the next one.
        self.assertEqual(second, ("done", "It took 10 MiB.", 1))
        self.assertEqual(len(self.sql("select distinct process_id from jobs_job")), 1)


class TestFullDisk(FailingCase):
    """The database's rows lie on a file system of their own that takes little."""

    def setUp(self) -> None:
        disk = Path(tempfile.mkdtemp(prefix="rombel-disk-"))
        self.addCleanup(shutil.rmtree, disk, ignore_errors=True)
        mount = ["mount", "-t", "tmpfs", "-o", f"size={DISK},mode=755", "rombel-test", str(disk)]
        data = Path(self.sql("show data_directory", database="postgres")[0][0])
        if os.geteuid() != 0 or not data.exists() or subprocess.run(mount, capture_output=True, check=False).returncode:
            self.skipTest("This machine lets tests mount no file system for the database.")
        self.addCleanup(subprocess.run, ["umount", str(disk)], check=True)
        disk.chmod(0o755)
        (disk / "rows").mkdir()
        os.chown(disk / "rows", data.stat().st_uid, data.stat().st_gid)
        name = f"rombel_small_{os.getpid()}"
        self.sql(f"create tablespace {name} location '{disk / 'rows'}'", database="postgres")
        self.addCleanup(lambda: self.sql(f"drop tablespace {name}", database="postgres"))
        self.place, self.ballast = f" tablespace {name}", disk / "ballast"
        super().setUp()

    def test_what_a_full_disk_refuses_leaves_nothing_and_goes_well_once_there_is_room(self) -> None:
        self.prepared()
        self.script(f"ask_for_fit('Planned', {PLANNED})")
        _, planner = self.served()
        self.signed_in(planner)
        study = planner.ask("POST", "/studies", {"name": "Filled"})
        self.fill()
        self.started("worker", "--queues", "plan,rescue", "--jobs", "1")
        sent = ("POST", f"/api/studies/{study['id']}/imports", {"format": "csv", "text": rows(4000)})
        for _ in range(2):
            status, words, headers = planner.call(*sent)
            self.assertEqual((status, headers["Retry-After"]), (503, "3"), words)
            self.assertIn("disk is full: nothing was changed", json.loads(words)["title"])
            self.assertEqual(self.sql(COUNTED), [(PLANNED,)])
        # What only reads goes on.
        self.assertEqual(len(planner.ask("GET", "/studies")["studies"]), 2)
        self.ballast.unlink()
        self.assertEqual(planner.call(*sent)[0], 200)
        self.assertEqual(self.sql(COUNTED), [(PLANNED + 4000,)])
        fit = "select status, message from jobs_job where kind = 'fit' and status in ('done', 'failed')"
        self.assertEqual(self.until(lambda: self.sql(fit))[0][0], "done")

    def fill(self) -> None:
        """Leave no room at all."""
        with self.ballast.open("wb", buffering=0) as file, suppress(OSError):
            while True:
                file.write(bytes(2**20))
