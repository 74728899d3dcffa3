"""An installation of its own for tests: an empty database beside the tests' own, and processes that have it in their environment."""

from __future__ import annotations

import json
import os
import re
import secrets
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any, TypeVar

import psycopg
from django.conf import settings
from django.test import SimpleTestCase

from config.timed_tests import IS_PRISTINE, PRISTINE, Long

SERVER = Path(settings.BASE_DIR)
NAME = "plan.example"
"""By which people know the installation."""
T = TypeVar("T")


WORLD = """
import django; django.setup()
from demo.load import load_catalogue
from accounts.models import Role, User
from catalogue.models import Region
from demo.demand import summer_demand
from runs.actions.start_run import StartRun
from studies.adapt import fields_of
from studies.models import Study, Variant, Workload
for role in Role.values: User.objects.create_user(role, password="pw-for-tests", role=role)
load_catalogue()
planner, region = User.objects.get(username="planner"), Region.objects.get(name="north-sound")
def ask_for_fit(name, rows):
    study = Study.objects.create(name=name, created_by=planner)
    Workload.objects.bulk_create(Workload(study=study, **fields_of(row, place)) for place, row in enumerate(summer_demand()[:rows]))
    variant = Variant.objects.create(study=study, name="reference", position=0, is_reference=True, region=region,
        zones=["amber", "birch", "cedar"], survive_zone="landing")
    StartRun(planner, variant).run()
"""
"""People, a catalogue, and a way to ask for the fit of a new study, for a script that an installation's own Python runs."""


def free_port() -> int:
    """Return a port that nobody listens at."""
    with socket.socket() as found:
        found.bind(("127.0.0.1", 0))
        return int(found.getsockname()[1])


def listens(port: int) -> bool:
    """Return whether anybody listens at a port."""
    try:
        socket.create_connection(("127.0.0.1", port)).close()
    except OSError:
        return False
    return True


def children(parent: int) -> list[int]:
    """Return the processes that a process has started and that still run."""
    found = []
    for stat in Path("/proc").glob("[0-9]*/stat"):
        with suppress(OSError):  # Processes come and go.
            fields = stat.read_text("utf-8", "replace").rpartition(")")[2].split()
            if int(fields[1]) == parent:
                found.append(int(stat.parent.name))
    return found


class InstallationCase(Long, SimpleTestCase):
    """Has a database of its own, which goes with the test, and ends whatever it started.

    ``place``: where its database is to be, as the statement that creates it says.
    """

    place = ""
    collected = False
    """Whether this process has put the page's files in their place."""

    @property
    def server(self) -> dict[str, Any]:
        """Return where the tests' own database is."""
        own = settings.DATABASES["default"]
        return {"host": own["HOST"], "port": own["PORT"], "user": own["USER"], "password": own["PASSWORD"]}

    def setUp(self) -> None:
        own = self.server
        self.name = f"rombel_own_{os.getpid()}_{secrets.token_hex(4)}"
        self.sql(f"create database {self.name}{self.place}", database="postgres")
        self.addCleanup(lambda: self.sql(f"drop database {self.name} with (force)", database="postgres"))
        kept = {name: value for name, value in os.environ.items() if not name.startswith("ROMBEL_")}
        kept.pop("PYTHONDONTWRITEBYTECODE", None)
        self.environment = kept | {
            "ROMBEL_SECRET_KEY": secrets.token_urlsafe(48), "ROMBEL_DB_NAME": self.name, "ROMBEL_DB_HOST": str(own["host"]),
            "ROMBEL_DB_CONNECT_S": "60", "ROMBEL_DB_PORT": str(own["port"]), "ROMBEL_DB_USER": str(own["user"]), "ROMBEL_DB_PASSWORD": str(own["password"]),
        }  # fmt: skip

    def prepared(self) -> None:
        """Have the tables that ``./rombel migrate`` makes, and the page's files in their place."""
        if IS_PRISTINE in os.environ:
            self.sql(f"drop database {self.name}", database="postgres")
            self.sql(f"create database {self.name} template {PRISTINE}{self.place}", database="postgres")
        else:  # Tests were asked for that need no other database.
            self.assertEqual(self.manage("migrate", "-v", "0")[0], 0)
        if not InstallationCase.collected:
            self.assertEqual(self.manage("collectstatic", "-v", "0", "--noinput")[0], 0)
            InstallationCase.collected = True

    def sql(self, text: str, database: str = "") -> list[tuple[Any, ...]]:
        """Return the rows of a statement."""
        with psycopg.connect(dbname=database or self.name, autocommit=True, **self.server) as connection:
            cursor = connection.execute(text)
            return cursor.fetchall() if cursor.description else []

    def manage(self, *words: str, said: str = "") -> tuple[int, str]:
        """Return how a command ended and what it said."""
        command = [sys.executable, "manage.py", *words]
        done = subprocess.run(
            command,
            cwd=SERVER,
            env=self.environment,
            input=said,
            capture_output=True,
            text=True,
            timeout=400,
            check=False,
        )
        return done.returncode, done.stdout + done.stderr

    def script(self, text: str) -> None:
        """Run a script of the server's, with this installation's people and catalogue made first."""
        self.run_plain(WORLD + text)

    def run_plain(self, text: str) -> None:
        """Run a script of the server's."""
        environment = self.environment | {"DJANGO_SETTINGS_MODULE": "config.settings"}
        subprocess.run([sys.executable, "-c", text], cwd=SERVER, env=environment, check=True, timeout=300)

    def started(
        self,
        *words: str,
        python: str = sys.executable,
        script: str = "manage.py",
        server: Path = SERVER,
        environment: dict[str, str] | None = None,
    ) -> subprocess.Popen[bytes]:
        """Return a command that runs until the test ends."""
        process = subprocess.Popen(
            [word for word in (python, script, *words) if word],
            cwd=server,
            env=environment or self.environment,
            start_new_session=True,
            stderr=subprocess.DEVNULL,
        )
        self.addCleanup(lambda: self.killed(process))
        return process

    def killed(self, process: subprocess.Popen[bytes]) -> None:
        """Kill a process with its children, whatever it does; those that it supervises have sessions of their own."""
        if process.poll() is None:
            own = children(process.pid)
            for leader in (process.pid, *own):
                with suppress(ProcessLookupError):
                    os.killpg(leader, signal.SIGKILL)
            process.wait()

    def until(self, reached: Callable[[], T], seconds: float = 480) -> T:
        """Return what is there once it is."""
        last = time.monotonic() + seconds
        while not (found := reached()):
            self.assertLess(time.monotonic(), last, self.told())
            time.sleep(0.1)
        return found

    def told(self) -> Sequence[object]:
        """Return what helps whoever reads of a failure: the jobs, where there are some."""
        try:
            return self.sql("select kind, status, message, attempts, for_version from jobs_job")
        except psycopg.Error:
            return ()


class Browser:
    """Somebody behind the proxy: says the name, that it was TLS outside, and where the request came from."""

    def __init__(self, port: int) -> None:
        self.port, self.root = port, f"http://127.0.0.1:{port}"
        # The proxy speaks HTTP inside: cookies that are for TLS alone are carried by hand.
        self.cookies: dict[str, str] = {}
        self.headers = {
            "Host": NAME,
            "X-Forwarded-Proto": "https",
            "X-Forwarded-For": "203.0.113.9",
            "Referer": f"https://{NAME}/",
        }

    def call(self, method: str, path: str, body: Any = None, **headers: str) -> tuple[int, str, Any]:
        """Return status, text and headers of an answer."""
        sent = {
            **self.headers,
            "Content-Type": "application/json",
            "X-CSRFToken": self.cookies.get("__Host-csrftoken", ""),
        }
        sent |= {"Cookie": "; ".join(f"{name}={value}" for name, value in self.cookies.items())} | headers
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(self.root + path, data, sent, method=method)
        opener = urllib.request.build_opener(Stay)
        try:
            answer = opener.open(request, timeout=90)
        except urllib.error.HTTPError as error:
            answer = error
        for line in answer.headers.get_all("Set-Cookie") or ():
            name, value = re.match(r"([^=]+)=([^;]*)", line).groups()  # type: ignore[union-attr]
            self.cookies[name] = value
        return answer.status or 0, answer.read().decode(), answer.headers

    def is_there(self) -> bool:
        """Return whether anybody listens."""
        return listens(self.port)

    def ask(self, method: str, path: str, body: Any = None) -> Any:
        """Return what an answer says, which must be one."""
        status, text, _ = self.call(method, f"/api{path}", body)
        assert status < 300, (status, text[:300])
        return json.loads(text) if text else None


class Stay(urllib.request.HTTPRedirectHandler):
    """Follows no redirect."""

    def redirect_request(self, *_: Any) -> None:
        """Follow none."""
        return


class WebCase(InstallationCase):
    """Serves people, behind a proxy that is the test itself."""

    def setUp(self) -> None:
        super().setUp()
        self.environment |= {
            "ROMBEL_PRODUCTION": "1", "ROMBEL_HOSTS": NAME, "ROMBEL_PROXIES": "1", "ROMBEL_WEB_PROCESSES": "1",
        }  # fmt: skip

    def served(self) -> tuple[subprocess.Popen[bytes], Browser]:
        """Return a web server on a port of its own, once it listens, and somebody who looks at it."""
        port = free_port()
        process = self.started("serve", environment=self.environment | {"ROMBEL_BIND": f"127.0.0.1:{port}"})
        somebody = Browser(port)
        self.until(somebody.is_there)
        return process, somebody
