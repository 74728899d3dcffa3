"""Workers on several machines share one database: each with code and environment of its own, and nothing else in common."""

from __future__ import annotations

import os
import shutil
import signal
import subprocess
import sys
import sysconfig
import tempfile
from pathlib import Path

from api.tests.installation import SERVER, InstallationCase, children

ASK = """
for number in range(4): ask_for_fit(f"Study {number}", 8 + number)
"""


class TestMachines(InstallationCase):
    def setUp(self) -> None:
        super().setUp()
        self.prepared()

    def ask(self) -> None:
        """Let four fits be asked for, as people would."""
        self.script(ASK)

    def machine(self, name: str, *, changed: bool = False) -> tuple[str, Path, dict[str, str]]:
        """Return the Python, the server's folder and the environment of another machine: a copy of the code, and an environment of its own.

        ``changed``: its core is of another version.
        """
        home = Path(tempfile.mkdtemp(prefix=f"rombel-{name}-"))
        self.addCleanup(shutil.rmtree, home, ignore_errors=True)
        # What is compiled is copied along, with its times: a machine that was prepared has it.
        shutil.copytree(SERVER, home / "server", ignore=shutil.ignore_patterns("tests", "static-collected"))
        shutil.copytree(SERVER.parent / "core" / "rombel", home / "core" / "rombel")
        if changed:
            with (home / "core" / "rombel" / "errors.py").open("a", encoding="utf-8") as file:
                file.write("# Another version.\n")
        subprocess.run([sys.executable, "-m", "venv", "--without-pip", home / "env"], check=True)
        packages = home / "env" / "lib" / f"python{sysconfig.get_python_version()}" / "site-packages"
        packages.joinpath("there.pth").write_text(sysconfig.get_paths()["purelib"] + "\n", "utf-8")
        environment = {
            k: v for k, v in self.environment.items() if k.startswith("ROMBEL_DB") or k == "ROMBEL_SECRET_KEY"
        }
        environment |= {"PATH": "/usr/bin:/bin", "HOME": str(home), "PYTHONPATH": f"{home}/core:{home}/server"}
        return str(home / "env" / "bin" / "python"), home / "server", environment

    def work(self, name: str, queues: str, *, changed: bool = False) -> subprocess.Popen[bytes]:
        python, server, environment = self.machine(name, changed=changed)
        return self.started(
            "worker", "--queues", queues, "--jobs", "1", python=python, server=server, environment=environment
        )

    def count(self, where: str) -> int:
        return int(self.sql(f"select count(*) from jobs_job where {where}")[0][0])

    def test_two_machines_share_the_jobs_and_what_a_killed_one_leaves_the_other_does_once(self) -> None:
        machines = [self.work(name, "plan,rescue") for name in ("one", "two")]
        self.until(lambda: self.sql("select count(*) from jobs_worker")[0][0] == 4)
        self.ask()
        self.until(lambda: self.count("status = 'running'") == 2)
        # Whatever it has done of a fit goes with it: worker and rescue of one machine die at once.
        processes = self.sql("select process from jobs_worker order by id")
        own = children(machines[0].pid)
        of_machine = [process for (process,) in processes if process in own]
        self.assertEqual(len(of_machine), 2)
        for process in (machines[0].pid, *of_machine):
            os.kill(process, signal.SIGKILL)
        self.until(lambda: self.count("status in ('queued', 'running') and kind = 'fit'") == 0, 480)
        self.assertEqual(self.count("status = 'done' and kind = 'fit'"), 4)
        # One answer to each, also to the one that two workers had begun.
        self.assertEqual(self.sql("select count(*), count(distinct run_id) from runs_fit")[0], (4, 4))
        self.assertEqual(self.count("kind = 'fit' and attempts > 1"), 1)

    def test_a_worker_of_other_code_leaves_jobs_to_those_that_answer_alike(self) -> None:
        self.work("other", "plan,rescue", changed=True)
        self.until(lambda: self.sql("select count(*) from jobs_worker")[0][0] == 2)
        (versions,) = self.sql("select distinct version from jobs_worker")
        own = self.started("worker", "--queues", "plan", "--jobs", "1")
        # Before anything is asked: on a machine with much to do it takes its time, after which jobs of code that nobody has are let go.
        self.until(lambda: self.sql("select count(*) from jobs_worker")[0][0] == 3)
        self.ask()
        asked = self.sql("select distinct for_version from jobs_job where kind = 'fit'")
        self.assertEqual(len(asked), 1)
        self.assertNotIn(asked[0][0], ("", versions[0]))
        self.until(lambda: self.count("status = 'done' and kind = 'fit'") >= 2)
        self.assertEqual(self.count("for_version = ''"), 0)
        # Once nobody has that code any more, whoever is there does what is left.
        os.kill(own.pid, signal.SIGKILL)
        self.sql("update jobs_worker set seen_at = now() - interval '1 hour' where version <> '%s'" % versions[0])  # noqa: UP031
        self.sql("update jobs_job set created_at = now() - interval '1 hour'")
        self.until(lambda: self.count("status in ('queued', 'running') and kind = 'fit'") == 0, 480)
        self.assertGreater(self.count("for_version = '' and status = 'done'"), 0)
