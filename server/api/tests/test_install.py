"""An installation of its own, from an empty database: what the manual says is done, and the web process, a worker and the accounts work."""

from __future__ import annotations

import contextlib
import json
import re
import signal
import socket
import time
from typing import Any

from api.tests.installation import NAME, SERVER, Browser, WebCase
from config.environment import Environment, table
from demo.supply import demo_price_list
from rombel.formats import write_price_list

PASSWORD = "a-long-enough-one"
CSV = "namespace,name,replicas,cpu,memory\nshop,web,6,500m,1Gi\nshop,api,4,900m,2Gi\n"


class TestInstall(WebCase):
    def setUp(self) -> None:
        super().setUp()
        self.environment |= {"ROMBEL_JOB_MEMORY_MIB": "3000"}

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
        worker = self.started("worker", "--jobs", "1")
        web, ada = self.served()
        self.until(lambda: ada.call("GET", "/readyz")[0] == 200)
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
        self.prepared()
        _, somebody = self.served()
        address = ("127.0.0.1", somebody.port)

        def seconds(path: str, wanted: int) -> float:
            began = time.monotonic()
            self.assertEqual(somebody.call("GET", path)[0], wanted)
            return time.monotonic() - began

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

    def ended(self, ada: Browser, run: int) -> Any:
        found = ada.ask("GET", f"/runs/{run}")
        return found if found["status"] in ("done", "failed") else None

    def test_what_is_wrong_in_the_environment_is_said_a_sentence_each(self) -> None:
        self.environment |= {
            "ROMBEL_PRODUCTION": "1",
            "ROMBEL_BIND": "everywhere",
            "ROMBEL_WEB_THREADS": "0",
            "ROMBEL_JOB_MEMORY_MIB": "300",
            "ROMBEL_SECRET_KEY": "short",
        }
        status, said = self.manage("check")
        self.assertEqual(status, 1)
        self.assertEqual(
            [line.split(" ")[1].split("=")[0] for line in said.strip().splitlines()],
            ["ROMBEL_BIND", "ROMBEL_WEB_THREADS", "ROMBEL_JOB_MEMORY_MIB"],
        )
        self.assertNotIn("Traceback", said)
        self.environment |= {"ROMBEL_BIND": "127.0.0.1:1", "ROMBEL_WEB_THREADS": "1", "ROMBEL_JOB_MEMORY_MIB": "0"}
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
