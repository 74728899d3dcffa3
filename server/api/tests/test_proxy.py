"""Behind a real proxy that ends TLS, by the configuration that is shipped: what the manual says of headers is so."""

from __future__ import annotations

import json
import os
import re
import subprocess
import tempfile
from http.cookies import SimpleCookie
from pathlib import Path
from typing import Any
from unittest import skipUnless

import urllib3
from django.test import SimpleTestCase

from api.tests.installation import NAME, SERVER, WebCase, free_port, listens

PROGRAM = os.environ.get("ROMBEL_TEST_PROXY", "")
SHIPPED = SERVER.parent / "deploy/proxy.conf.example"
AROUND = """
daemon off; pid {folder}/pid; error_log stderr error;
events {{ worker_connections 256; }}
http {{
    access_log off;
    client_body_temp_path {folder}/body; proxy_temp_path {folder}/sent;
    fastcgi_temp_path {folder}/f; uwsgi_temp_path {folder}/u; scgi_temp_path {folder}/s;
    include {folder}/rombel.conf;
}}
"""
"""What a machine's own configuration has around the shipped file."""
LINE = "ns,w{},1,100m,1Gi," + "o" * 200 + "\n"
TRIES = 30
"""After so many wrong passwords an address waits."""


@skipUnless(PROGRAM, "This machine has no nginx; ./rombel test fetches one.")
class TestProxy(WebCase):
    def setUp(self) -> None:
        super().setUp()
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory(prefix="rombel-proxy-")))
        # The proxy's own processes are not root's.
        self.folder.chmod(0o755)
        self.prepared()
        self.script("")
        _, self.inside = self.served()
        self.plain, self.port = free_port(), free_port()
        self.certificate()
        self.configured()
        self.started("-c", f"{self.folder}/nginx.conf", python=PROGRAM, script="")
        self.until(lambda: listens(self.port))
        self.pool = urllib3.HTTPSConnectionPool(
            "127.0.0.1", self.port, ca_certs=f"{self.folder}/cert.pem", server_hostname=NAME, assert_hostname=NAME, retries=False
        )  # fmt: skip
        self.cookies: dict[str, str] = {}

    def certificate(self) -> None:
        """Make a key and a certificate of its own, for an hour's use."""
        made = ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "1", "-subj", f"/CN={NAME}", "-addext", f"subjectAltName=DNS:{NAME}"]  # fmt: skip
        files = ["-keyout", f"{self.folder}/key.pem", "-out", f"{self.folder}/cert.pem"]
        subprocess.run([*made, *files], check=True, capture_output=True)

    def configured(self) -> None:
        """Write the shipped configuration with what differs here: names, ports and files, and nothing else."""
        text = SHIPPED.read_text("utf-8")
        for shipped, here in (
            ("listen 80;", f"listen 127.0.0.1:{self.plain};"),
            ("listen 443 ssl;", f"listen 127.0.0.1:{self.port} ssl;"),
            ("server_name rombel.example.org;", f"server_name {NAME};"),
            ("/etc/ssl/rombel/fullchain.pem", f"{self.folder}/cert.pem"),
            ("/etc/ssl/rombel/key.pem", f"{self.folder}/key.pem"),
            ("http://127.0.0.1:8060", f"http://127.0.0.1:{self.inside.port}"),
        ):
            self.assertIn(shipped, text)
            text = text.replace(shipped, here)
        (self.folder / "rombel.conf").write_text(text, "utf-8")
        (self.folder / "nginx.conf").write_text(AROUND.format(folder=self.folder), "utf-8")

    def call(self, method: str, path: str, body: Any = None, **headers: str) -> urllib3.BaseHTTPResponse:
        """Send what a browser would send over TLS, and keep the cookies that come back."""
        own = f"https://{NAME}:{self.port}"
        sent = {
            "Host": f"{NAME}:{self.port}",
            "Origin": own,
            "Referer": f"{own}/",
            "Content-Type": "application/json",
            "X-CSRFToken": self.cookies.get("__Host-csrftoken", ""),
            "Cookie": "; ".join(f"{name}={value}" for name, value in self.cookies.items()),
        } | headers
        answer = self.pool.request(
            method, path, body=None if body is None else json.dumps(body), headers=sent, redirect=False
        )
        for line in answer.headers.getlist("Set-Cookie"):
            self.assertIn("Secure", line)
            self.cookies |= {name: morsel.value for name, morsel in SimpleCookie(line).items()}
        return answer

    def test_people_work_over_tls_and_nobody_makes_headers_up(self) -> None:
        self.work_over_tls()
        self.guess_passwords()

    def work_over_tls(self) -> None:
        sent_on = urllib3.request("GET", f"http://127.0.0.1:{self.plain}/studies?x=1", headers={"Host": NAME}, redirect=False)  # fmt: skip
        self.assertEqual((sent_on.status, sent_on.headers["Location"]), (308, f"https://{NAME}/studies?x=1"))
        page = self.call("GET", "/")
        self.assertEqual(page.status, 200)
        self.assertIn("max-age", page.headers["Strict-Transport-Security"])
        self.assertEqual(self.call("GET", "/", Host="elsewhere.example").status, 400)
        signed_in = self.call("POST", "/api/session", {"username": "planner", "password": "pw-for-tests"})
        self.assertEqual(signed_in.status, 200, signed_in.data)
        # What a client says of the outside is not believed: not that it was no TLS, and not where it comes from.
        lied = {"X-Forwarded-Proto": "http", "X-Forwarded-For": "198.51.100.7"}
        again = self.call("GET", "/api/sessions", **lied)
        self.assertEqual((again.status, {row["address"] for row in again.json()}), (200, {"127.0.0.1"}))
        # Another site's page has no say, though the browser sends it the cookies.
        foreign = {"Origin": "https://elsewhere.example", "Referer": "https://elsewhere.example/"}
        self.assertEqual(self.call("POST", "/api/studies", {"name": "Foreign"}, **foreign).status, 403)
        study = self.call("POST", "/api/studies", {"name": "Own"}).json()
        text = "namespace,name,replicas,cpu,memory,owner\n" + "".join(map(LINE.format, range(90_000)))
        taken = self.call("POST", f"/api/studies/{study['id']}/readings", {"format": "csv", "text": text})
        self.assertEqual((taken.status, len(text) > 18 * 2**20), (202, True), taken.data[:300])

    def guess_passwords(self) -> None:
        # From another made-up address each time, and for another name.
        statuses = [
            self.call(
                "POST",
                "/api/session",
                {"username": f"somebody-{number}", "password": "a-wrong-password"},
                **{"X-Forwarded-For": f"198.51.100.{number}"},
            ).status
            for number in range(TRIES + 1)
        ]
        self.assertEqual(set(statuses[:TRIES]), {401})
        self.assertEqual(statuses[TRIES], 429)


class TestShipped(SimpleTestCase):
    def test_the_shipped_file_says_what_the_manual_says(self) -> None:
        manual = (SERVER.parent / "docs/operating.md").read_text("utf-8")
        most = re.search(r"bodies of up to (\d+) MiB", manual)
        self.assertIn(f"client_max_body_size {most and most[1]}m;", SHIPPED.read_text("utf-8"))
