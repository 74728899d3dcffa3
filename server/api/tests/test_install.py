"""An installation of its own, from an empty database: what the manual says is done, and the web process, a worker and the accounts work."""

from __future__ import annotations

import contextlib
import json
import re
import signal
import socket
import time
import urllib.error
import urllib.request
from typing import Any

from api.tests.installation import SERVER, InstallationCase
from config.environment import Environment, table
from demo.supply import demo_price_list
from rombel.formats import write_price_list

PASSWORD = "a-long-enough-one"
NAME = "plan.example"
CSV = "namespace,name,replicas,cpu,memory\nshop,web,6,500m,1Gi\nshop,api,4,900m,2Gi\n"


class Browser:
    """Somebody behind the proxy: says the name, that it was TLS outside, and where the request came from."""

    def __init__(self, port: int) -> None:
        self.root = f"http://127.0.0.1:{port}"
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


class TestInstall(InstallationCase):
    def setUp(self) -> None:
        super().setUp()
        with socket.socket() as found:
            found.bind(("127.0.0.1", 0))
            self.port = found.getsockname()[1]
        self.environment |= {
            "ROMBEL_PRODUCTION": "1", "ROMBEL_HOSTS": NAME, "ROMBEL_PROXIES": "1", "ROMBEL_BIND": f"127.0.0.1:{self.port}",
            "ROMBEL_WEB_PROCESSES": "1", "ROMBEL_JOB_MEMORY_MIB": "3000",
        }  # fmt: skip

    def test_from_nothing_to_a_plan(self) -> None:
        status, said = self.manage("serve")
        self.assertEqual(status, 2, said)
        self.assertIn("Run ./rombel migrate", said)
        self.assertEqual(self.manage("migrate", "-v", "0")[0], 0)
        self.assertEqual(self.manage("collectstatic", "-v", "0", "--noinput")[0], 0)
        status, said = self.manage("person", "add", "ada", "--role", "planner", said="short\n")
        self.assertEqual((status, "too short" in said), (1, True), said)
        self.assertEqual(self.manage("person", "add", "ada", "--role", "planner", said=f"{PASSWORD}\n")[0], 0)
        self.assertEqual(self.manage("person", "add", "ada", said=f"{PASSWORD}\n")[0], 1)
        web, worker = self.started("serve"), self.started("worker", "--jobs", "1")
        ada = Browser(self.port)
        self.until(lambda: self.answers(ada))
        self.over_tls_alone(ada)
        ada.ask("POST", "/session", {"username": "ada", "password": PASSWORD})
        self.assertEqual(ada.ask("GET", "/studies")["studies"], [])
        self.planned(ada)
        # Whoever is locked out is so at once, and at every address.
        self.assertEqual(self.manage("person", "lock", "ada")[0], 0)
        self.assertEqual(ada.call("GET", "/api/studies")[0], 401)
        for process in (web, worker):
            process.send_signal(signal.SIGTERM)
            self.assertEqual(process.wait(40), 0)

    def answers(self, somebody: Browser) -> bool:
        try:
            return somebody.call("GET", "/readyz")[0] == 200
        except OSError:
            return False

    def over_tls_alone(self, somebody: Browser) -> None:
        status, _, headers = somebody.call("GET", "/", **{"X-Forwarded-Proto": "http"})
        self.assertEqual((status, headers["Location"]), (301, f"https://{NAME}/"))
        self.assertEqual(somebody.call("GET", "/", Host="elsewhere.example")[0], 400)
        status, page, headers = somebody.call("GET", "/")
        self.assertEqual((status, "rombel-demo" in page), (200, False))
        self.assertIn("Secure", headers["Set-Cookie"])
        self.assertIn("max-age", headers["Strict-Transport-Security"])

    def planned(self, ada: Browser) -> None:
        listed = write_price_list(demo_price_list("Skerry Compute"))
        reading = ada.ask("POST", "/catalogue/files", {"form": "json", "text": listed})
        ada.ask("POST", f"/catalogue/readings/{reading['id']}/take", {})
        study = ada.ask("POST", "/studies", {"name": "First", "organisation": "House"})
        region = ada.ask("GET", "/catalogue/regions")[0]
        variant = study["variants"][0]["id"]
        ada.ask("POST", f"/studies/{study['id']}/imports", {"format": "csv", "text": CSV})
        ada.ask("PATCH", f"/variants/{variant}", {"region_id": region["id"]})
        run = ada.ask("POST", f"/variants/{variant}/runs", {})
        done = self.until(lambda: self.ended(ada, run["id"]))
        self.assertEqual(done["status"], "done", done)
        self.assertIn(ada.ask("GET", f"/variants/{variant}/bench")["fit"]["status"], ("optimal", "feasible"))

    def test_health_is_answered_while_every_thread_is_busy_and_whoever_sends_nothing_keeps_none(self) -> None:
        self.environment |= {"ROMBEL_WEB_THREADS": "1"}
        self.assertEqual(self.manage("migrate", "-v", "0")[0], 0)
        self.assertEqual(self.manage("collectstatic", "-v", "0", "--noinput")[0], 0)
        self.started("serve")
        address, somebody = ("127.0.0.1", self.port), Browser(self.port)

        def seconds(path: str, wanted: int) -> float:
            began = time.monotonic()
            self.assertEqual(somebody.call("GET", path)[0], wanted)
            return time.monotonic() - began

        self.until(lambda: self.listens(address))
        with contextlib.ExitStack() as open_ones:
            # They connect and say nothing: the one thread is still there for others.
            for _ in range(4):
                open_ones.enter_context(socket.create_connection(address))
            # A thread that waited with them would do so for twenty seconds.
            self.assertLess(seconds("/readyz", 503), 15)
            # This one begins to send and stops half-way, which the thread waits for.
            slow = open_ones.enter_context(socket.create_connection(address))
            slow.sendall(
                f"POST /api/session HTTP/1.1\r\nHost: {NAME}\r\nX-Forwarded-Proto: https\r\nContent-Type: application/json\r\n".encode()
            )
            slow.sendall(b"Content-Length: 1000\r\n\r\n{")
            time.sleep(1)
            self.assertLess(sum(seconds("/healthz", 200) for _ in range(3)), 12)
            # Plain HTTP within the house, as what asks after health speaks it.
            plain = somebody.call("GET", "/healthz", **{"X-Forwarded-Proto": "http", "Host": "10.0.0.7"})
            self.assertEqual((plain[0], json.loads(plain[1])), (200, {"status": "alive"}))
            # It is cut off in the end, and the thread is free again.
            self.assertLess(seconds("/readyz", 503), 60)

    def listens(self, address: tuple[str, int]) -> bool:
        try:
            socket.create_connection(address).close()
        except OSError:
            return False
        return True

    def ended(self, ada: Browser, run: int) -> Any:
        found = ada.ask("GET", f"/runs/{run}")
        return found if found["status"] in ("done", "failed") else None

    def test_what_is_wrong_in_the_environment_is_said_a_sentence_each(self) -> None:
        self.environment |= {"ROMBEL_BIND": "everywhere", "ROMBEL_WEB_THREADS": "0", "ROMBEL_SECRET_KEY": "short"}
        status, said = self.manage("check")
        self.assertEqual(status, 1)
        self.assertEqual(
            [line.split(" ")[1].split("=")[0] for line in said.strip().splitlines()],
            ["ROMBEL_BIND", "ROMBEL_WEB_THREADS"],
        )
        self.assertNotIn("Traceback", said)
        self.environment |= {"ROMBEL_BIND": "127.0.0.1:1", "ROMBEL_WEB_THREADS": "1"}
        self.assertIn("ROMBEL_SECRET_KEY has less than 50 letters", self.manage("check")[1])
        self.environment |= {"ROMBEL_SECRET_KEY": "k" * 50, "ROMBEL_DB_PORT": "1"}
        status, said = self.manage("worker")
        self.assertEqual((status, "cannot be reached" in said), (2, True), said)

    def test_the_manual_lists_every_setting_as_it_is(self) -> None:
        manual = (SERVER.parent / "docs" / "operating.md").read_text("utf-8")
        self.assertIn(table(), manual)
        example = (SERVER.parent / "deploy" / "rombel.env.example").read_text("utf-8")
        named = set(re.findall(r"ROMBEL_(\w+)", manual + example))
        self.assertEqual({name.lower() for name in named} - set(Environment.model_fields), set())
