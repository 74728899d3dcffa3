"""The stand-in as a WSGI application (PEP 3333): pages of a price list, with the manners of a busy service."""

from __future__ import annotations

import json
import re
import threading
import time
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from typing import Any
from urllib.parse import parse_qs, unquote

from rombel.formats import price_list_value
from rombel.model.price_list import PriceList

MOST_A_PAGE = 50
Answer = tuple[str, list[tuple[str, str]], Any]


@dataclass(frozen=True)
class Mood:
    """How the service behaves; zero: never.

    Parameters
    ----------
    most_per_second
        Requests answered in any second; more get 429 with ``Retry-After``.
    slow_every, slow_s
        Every so many requests one takes so long.
    fails_every
        Every so many requests one is answered 503.
    dies_after
        After so many requests every one is answered 500.
    silent_region
        This region's offers are answered 500.

    """

    most_per_second: int = 20
    slow_every: int = 7
    slow_s: float = 0.6
    fails_every: int = 9
    dies_after: int = 0
    silent_region: str = ""


class OfferServiceStandIn:
    """Answers ``/price-list``, ``/types`` and ``/regions/NAME/offers`` from whatever list is current."""

    def __init__(self, current: Callable[[], PriceList], mood: Mood | None = None) -> None:
        self._current, self.mood = current, mood or Mood()
        self._lock = threading.Lock()
        self._asked, self._recent = 0, []  # type: tuple[int, list[float]]

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answer one request."""
        status, headers, body = self._answer(environ)
        data = json.dumps(body).encode()
        start_response(status, [("Content-Type", "application/json"), ("Content-Length", str(len(data))), *headers])
        return [data]

    def _answer(self, environ: dict[str, Any]) -> Answer:
        turn, busy = self._turn()
        mood = self.mood
        # Dead for good, to see that a reading fails cleanly.
        if mood.dies_after and turn > mood.dies_after:
            return "500 Internal Server Error", [], {"error": "out of order"}
        if busy:
            return "429 Too Many Requests", [("Retry-After", "1")], {"error": "slower, please"}
        if mood.fails_every and turn % mood.fails_every == 0:
            return "503 Service Unavailable", [], {"error": "try again"}
        if mood.slow_every and turn % mood.slow_every == 0:
            time.sleep(mood.slow_s)
        return self._page(unquote(environ.get("PATH_INFO", "")), parse_qs(environ.get("QUERY_STRING", "")))

    def _turn(self) -> tuple[int, bool]:
        """Count the request; return its number and whether the second is full."""
        now = time.monotonic()
        with self._lock:
            self._asked += 1
            # Requests of the last second, as a limiter with a sliding window counts them.
            self._recent = [moment for moment in self._recent if now - moment < 1.0]
            busy = bool(self.mood.most_per_second) and len(self._recent) >= self.mood.most_per_second
            if not busy:
                self._recent.append(now)
            return self._asked, busy

    def _page(self, path: str, query: dict[str, list[str]]) -> Answer:
        value = price_list_value(self._current())
        if path == "/price-list":
            return "200 OK", [], {key: part for key, part in value.items() if key not in ("types", "offers")}
        if path == "/types":
            return _slice(value["types"], query)
        match = re.fullmatch(r"/regions/([^/]+)/offers", path)
        if match and match[1] == self.mood.silent_region:
            return "500 Internal Server Error", [], {"error": "no answer from the region"}
        if match and any(region["name"] == match[1] for region in value["regions"]):
            return _slice([offer for offer in value["offers"] if offer["region"] == match[1]], query)
        return "404 Not Found", [], {"error": "there is nothing here"}


def _slice(items: list[Any], query: dict[str, list[str]]) -> Answer:
    try:
        after, limit = int(query.get("after", ["0"])[0]), int(query.get("limit", ["20"])[0])
    except ValueError:
        return "400 Bad Request", [], {"error": "after and limit are whole numbers"}
    limit = max(1, min(limit, MOST_A_PAGE))
    end = max(after, 0) + limit
    return (
        "200 OK",
        [],
        {"items": items[max(after, 0) : end], "total": len(items), "next": end if end < len(items) else None},
    )
