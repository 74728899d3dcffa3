"""How a running demo bears many planners at once: ``./rombel bench load [PLANNERS] [SECONDS]``.

Each planner looks, edits, reads, fits and imports with a second or three of thought between. Two hundred for five minutes are wanted; the client
runs on the same machine and takes its part of it. Studies of its own are made for it and deleted.
"""

from __future__ import annotations

import json
import random
import threading
import time
from collections import Counter, defaultdict
from collections.abc import Iterator
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import urllib3
from django.db import connection

from demo.bench import Client, ended, until

STUDIES, ROWS = 20, 14
THINKS_S = (1.0, 3.0)
WANTED_MS = {"bench": 300, "edit": 400, "health": 50}
"""The time within which 95 of 100 are to be answered, in milliseconds."""
OFTEN = {"bench": 45, "edit": 20, "bill": 8, "prerequisites": 7, "studies": 8, "fit": 4, "import": 4, "health": 4}
"""How often a planner does what, in percent."""
IMPORTED = "namespace,name,replicas,cpu,memory\nload,imported,3,250m,512Mi\n"


@dataclass
class Told:
    """What was measured: milliseconds by what was done, and how often an answer was none."""

    took: dict[str, list[float]] = field(default_factory=lambda: defaultdict(list))
    refused: Counter[str] = field(default_factory=Counter)
    lock: threading.Lock = field(default_factory=threading.Lock)

    def add(self, what: str, ms: float, status: int) -> None:
        """Note an answer; 409 is one, as somebody else was quicker."""
        with self.lock:
            self.took[what].append(ms)
            if status >= 400 and status != 409:
                self.refused[f"{what}: {status or 'no answer'}"] += 1


@dataclass(frozen=True)
class Subject:
    """A study that planners work on."""

    study: int
    variant: int
    keys: tuple[str, ...]


class Planner:
    """One person with a connection of their own."""

    def __init__(self, address: str, cookies: dict[str, str], subject: Subject, seed: int, told: Told) -> None:
        self._pool = urllib3.PoolManager(num_pools=1, maxsize=1, retries=False, timeout=urllib3.Timeout(90))
        self._address, self._subject, self._told = address, subject, told
        self._rng = random.Random(seed)
        self._tags: dict[str, str] = {}
        self._headers = {
            "Content-Type": "application/json",
            "Cookie": "; ".join(f"{name}={value}" for name, value in cookies.items()),
            "X-CSRFToken": cookies["csrftoken"],
            "Referer": address,
            "Accept-Encoding": "gzip",
        }

    def work(self, until_s: float) -> None:
        """Do one thing after the other, with thought between."""
        # Nobody begins at the same moment as everybody else.
        time.sleep(self._rng.uniform(0, THINKS_S[1]))
        while time.monotonic() < until_s:
            what = self._rng.choices(list(OFTEN), list(OFTEN.values()))[0]
            method, path, body = self._asked(what)
            began = time.monotonic()
            try:
                answer = self._pool.request(
                    method,
                    self._address + path,
                    body=None if body is None else json.dumps(body),
                    headers=self._headers | self._known(method, path),
                )
                status = answer.status
                # The page keeps an answer and asks whether it still holds; so does this.
                self._tags[path] = answer.headers.get("ETag", "")
            except urllib3.exceptions.HTTPError:
                status = 0
            self._told.add(f"{what}, as it was" if status == 304 else what, 1000 * (time.monotonic() - began), status)
            time.sleep(self._rng.uniform(*THINKS_S))

    def _known(self, method: str, path: str) -> dict[str, str]:
        tag = self._tags.get(path, "") if method == "GET" else ""
        return {"If-None-Match": tag} if tag else {}

    def _asked(self, what: str) -> tuple[str, str, Any]:
        own = self._subject
        variant = f"/api/variants/{own.variant}"
        if what == "edit":
            cells = {self._rng.choice(own.keys): {"cpu": f"{self._rng.randrange(100, 900)}m"}}
            return "PATCH", f"/api/studies/{own.study}/demand", {"cells": cells}
        if what == "import":
            return "POST", f"/api/studies/{own.study}/imports", {"format": "csv", "text": IMPORTED}
        paths: dict[str, tuple[str, str, Any]] = {
            "bench": ("GET", f"{variant}/bench", None),
            "bill": ("GET", f"{variant}/bill", None),
            "prerequisites": ("GET", f"{variant}/prerequisites", None),
            "studies": ("GET", "/api/studies", None),
            "fit": ("POST", f"{variant}/runs", {}),
            "health": ("GET", "/healthz", None),
        }
        return paths[what]


def subjects(client: Client) -> list[Subject]:
    """Return studies made for this, each with a plan."""
    studies = client.send("GET", "/studies")["studies"]
    summer = next(study for study in studies if study["name"] == "Summer timetable")
    source = client.send("GET", f"/variants/{summer['variants'][0]['id']}/bench")["variant"]
    rows = client.send("GET", f"/studies/{summer['id']}/demand.csv").splitlines()
    text = "\n".join(rows[: ROWS + 1]) + "\n"
    kept = ("region_id", "zones", "survive_zone", "most_pods_per_node", "control_plane_members", "tier")
    found, asked = [], []
    for number in range(STUDIES):
        made = client.send("POST", "/studies", {"name": f"{NAME} {number}"})
        variant = made["variants"][0]["id"]
        client.send("PATCH", f"/variants/{variant}", {name: source[name] for name in kept})
        client.send("POST", f"/studies/{made['id']}/imports", {"format": "csv", "text": text})
        asked.append(client.send("POST", f"/variants/{variant}/runs", {})["id"])
        keys = tuple(row["key"] for row in client.send("GET", f"/variants/{variant}/bench")["workloads"])
        found.append(Subject(made["id"], variant, keys))
    # The first answer is plan enough to look at; the rest of the work is for those who ask for it later.
    for run in asked:
        until(lambda run=run: client.send("GET", f"/runs/{run}"), lambda now: ended(now) or now["answers"])  # type: ignore[misc]
        client.send("POST", f"/runs/{run}/stop", {})
    return found


NAME = "How many planners"


def clear(client: Client) -> None:
    """Delete the studies made for this."""
    for study in client.send("GET", f"/studies?find={NAME.replace(' ', '+')}&count=100")["studies"]:
        client.send("DELETE", f"/studies/{study['id']}", {"name": study["name"]})


def measured(address: str, planners: int, seconds: float) -> Iterator[str]:
    """Yield what many planners met, a line for each thing that they do."""
    client, told = Client(address), Told()
    cookies = client.cookies()
    clear(client)  # What an earlier measurement that was ended has left.
    try:
        found = subjects(client)
        before, began = _transactions(), time.monotonic()
        everybody = [Planner(address, cookies, found[n % STUDIES], n, told) for n in range(planners)]
        threads = [threading.Thread(target=each.work, args=(began + seconds,), daemon=True) for each in everybody]
        for thread in threads:
            thread.start()
        waits = _watched(began + seconds)
        for thread in threads:
            thread.join(100)
        took = time.monotonic() - began
        statements = _transactions() - before
        yield from told_lines(told, planners, took)
        requests = sum(map(len, told.took.values()))
        yield f"transactions of the database a request, the workers' too: {statements / max(1, requests):.1f}"
        yield f"the first job in a queue had waited {max(waits, default=0.0):.0f} s at most; the web process holds {_memory_mib()} MiB"
    finally:
        clear(client)


def told_lines(told: Told, planners: int, seconds: float) -> Iterator[str]:
    """Yield the quantiles of each thing, in milliseconds, beside what is wanted."""
    requests = sum(map(len, told.took.values()))
    yield f"{planners} planners, {seconds:.0f} s: {requests / seconds:.1f} requests a second"
    yield f"{'':24}{'asked':>8}{'p50':>8}{'p95':>8}{'p99':>8}   wanted (p95), ms"
    for what in OFTEN:
        # Both kinds of answer count towards what is wanted; the second line says how many were the short one.
        short = f"{what}, as it was"
        both = sorted([*told.took.get(what, ()), *told.took.get(short, ())])
        for name, values in ((what, both), (short, sorted(told.took.get(short, ())))):
            if not values:
                continue
            p50, p95, p99 = (values[min(len(values) - 1, int(share * len(values)))] for share in (0.5, 0.95, 0.99))
            most = WANTED_MS.get(name)
            end = "" if most is None else f"   {most}{'' if p95 <= most else '   NOT reached'}"
            yield f"{name:24}{len(values):8}{p50:8.0f}{p95:8.0f}{p99:8.0f}{end}"
    yield f"errors: {dict(told.refused) or 'none'}"


def _watched(until_s: float) -> list[float]:
    """Return for how long the first job that was asked for meanwhile had waited in any queue, looked at every two seconds."""
    waits, since = [], datetime.now(UTC)
    while time.monotonic() < until_s:
        with connection.cursor() as cursor:
            cursor.execute(
                "select coalesce(max(extract(epoch from now() - created_at)), 0) from jobs_job"
                " where status = 'queued' and created_at > %s",
                [since],
            )
            waits.append(float(cursor.fetchone()[0]))
        time.sleep(2)
    return waits


def _transactions() -> int:
    with connection.cursor() as cursor:
        cursor.execute("select xact_commit + xact_rollback from pg_stat_database where datname = current_database()")
        return int(cursor.fetchone()[0])


def _memory_mib() -> int:
    """Return what the processes that serve hold, as the kernel counts it."""
    total = 0
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            if b"config.wsgi" in (entry / "cmdline").read_bytes():
                total += int((entry / "statm").read_text().split()[1])
        except OSError:
            continue  # It has ended meanwhile.
    return total * 4096 // 2**20
