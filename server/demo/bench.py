"""How long a planner waits on the demo's size of study, asked through the API of a running demo: ``./rombel bench demo``.

A study of its own is made from the demo's demand, region and journeys, measured and deleted. The machine should have nothing else to do.
"""

from __future__ import annotations

import json
import sys
import time
from collections.abc import Callable, Iterator
from http.cookiejar import CookieJar
from typing import Any
from urllib.request import HTTPCookieProcessor, Request, build_opener

from demo.journeys import DEPENDENCIES, JOURNEYS

POLL_S = 0.1
LONGEST_S = 900
NAME = "How long a planner waits"


class Client:
    """The API as a planner's browser speaks to it."""

    def __init__(self, address: str) -> None:
        self._address, self._cookies = address, CookieJar()
        self._opener = build_opener(HTTPCookieProcessor(self._cookies))
        self._opener.open(address).read()
        self.send("POST", "/session", {"username": "planner", "password": "mareel-line"})

    def cookies(self) -> dict[str, str]:
        """Return what a browser keeps of the session, by name."""
        return {cookie.name: cookie.value or "" for cookie in self._cookies}

    def send(self, method: str, path: str, body: Any = None) -> Any:
        """Send JSON and return what comes back: JSON, or text where it is none."""
        token = next((cookie.value for cookie in self._cookies if cookie.name == "csrftoken"), "") or ""
        headers = {"Content-Type": "application/json", "X-CSRFToken": token, "Referer": self._address}
        data = None if body is None else json.dumps(body).encode()
        with self._opener.open(Request(f"{self._address}/api{path}", data, headers, method=method)) as answer:
            text = answer.read().decode()
        return json.loads(text) if text and "json" in answer.headers.get("Content-Type", "") else text


def until(look: Callable[[], Any], done: Callable[[Any], bool]) -> tuple[float, Any]:
    """Return the seconds until what is looked at is done, and what was seen then."""
    started = time.monotonic()
    while not done(seen := look()):
        if time.monotonic() - started > LONGEST_S:
            raise SystemExit(f"Still not done after {LONGEST_S} s: {str(seen)[:300]}")
        time.sleep(POLL_S)
    return time.monotonic() - started, seen


def ended(row: Any) -> bool:
    """Return whether a run or an inquiry has come to its end."""
    return row is not None and row["status"] in ("done", "failed") and row.get("is_current", True)


def made(client: Client) -> tuple[int, int]:
    """Return the study and its variant, made anew from the demo's."""
    studies = client.send("GET", "/studies")["studies"]
    summer = next(study for study in studies if study["name"] == "Summer timetable")
    source = client.send("GET", f"/variants/{summer['variants'][0]['id']}/bench")["variant"]
    rows = client.send("GET", f"/studies/{summer['id']}/demand.csv")
    study = client.send("POST", "/studies", {"name": NAME})
    variant = study["variants"][0]["id"]
    kept = ("region_id", "zones", "survive_zone", "most_pods_per_node", "control_plane_members", "tier")
    client.send("PATCH", f"/variants/{variant}", {name: source[name] for name in kept})
    client.send("POST", f"/studies/{study['id']}/imports", {"format": "csv", "text": rows})
    client.send("PATCH", f"/studies/{study['id']}/promises", {"journeys": JOURNEYS, "dependencies": DEPENDENCIES})
    return study["id"], variant


def fitted(client: Client, variant: int) -> Iterator[float]:
    """Start a fit; yield the seconds until its first number, and until its final one."""
    run = client.send("POST", f"/variants/{variant}/runs", {})["id"]
    started = time.monotonic()
    until(
        lambda: client.send("GET", f"/runs/{run}"),
        lambda row: ended(row) or row["answers"] or float(row["cost_per_month"]) > 0,
    )
    yield time.monotonic() - started
    _, row = until(lambda: client.send("GET", f"/runs/{run}"), ended)
    if row["status"] == "failed":
        raise SystemExit(f"The fit failed: {row['message']}")
    yield time.monotonic() - started


def asked(client: Client, variant: int, question: str, already: bool = False) -> float:
    """Ask a question, unless it was asked already; return the seconds until the whole answer."""
    if not already:
        client.send("POST", f"/variants/{variant}/inquiries", {"question": question})
    seconds, row = until(lambda: client.send("GET", f"/variants/{variant}/inquiries/{question}"), ended)
    if row["status"] == "failed":
        raise SystemExit(f"'{question}' failed: {row['message']}")
    return seconds


def main(address: str) -> None:
    """Measure and print one line for each thing that a planner waits for."""
    client = Client(address)
    study, variant = made(client)
    wanted: list[tuple[str, float, float]] = []
    try:
        first, final = fitted(client, variant)
        wanted += [("first fit, a number", first, 2), ("first fit, final", final, 8)]
        wanted.append(("prices of promises", asked(client, variant, "promises", already=True), 20))
        row = client.send("GET", f"/variants/{variant}/bench")["workloads"][0]
        cells = {row["key"]: {"replicas": str(row["replicas"] + 1)}}
        client.send("PATCH", f"/studies/{study}/demand", {"cells": cells})
        first, final = fitted(client, variant)
        wanted += [("after an edit, a number", first, 1), ("after an edit, final", final, 6)]
        asked(client, variant, "promises", already=True)
        for question, most in (("levels", 15), ("sizing", 15), ("frontier", 60)):
            wanted.append((question, asked(client, variant, question), most))
    finally:
        client.send("DELETE", f"/studies/{study}", {"name": NAME})
    for words, seconds, most in wanted:
        print(f"{words:26} {seconds:7.1f} s   wanted {most:3.0f} s{'' if seconds <= most else '   NOT reached'}")


if __name__ == "__main__":
    main(sys.argv[1].rstrip("/"))
