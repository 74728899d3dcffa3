"""How a made-up service behaves: busy, slow, failing, silent, talking nonsense, and dropping connections, as real ones do."""

from __future__ import annotations

import json
import threading
import time
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import Any

Answer = tuple[str, list[tuple[str, str]], Any]
"""Status line, headers, and the body that becomes JSON."""


@dataclass(frozen=True)
class Mood:
    """How a service behaves; zero or empty: never.

    Parameters
    ----------
    most_per_second
        Requests answered in any second; more get 429 with ``Retry-After``.
    slow_every, slow_s
        Every so many requests one takes so long.
    fails_every, drops_every, nonsense_every
        Every so many requests one is answered 503, ends in the middle of the answer, or is answered with something that is not JSON.
    dies_after
        After so many requests every one is answered 500.
    silent_region
        This region's offers are answered 500.
    sold_out
        Instance types of which no node is to be had, each with how often it is asked for in vain.

    """

    most_per_second: int = 20
    slow_every: int = 7
    slow_s: float = 0.6
    fails_every: int = 9
    drops_every: int = 0
    nonsense_every: int = 0
    dies_after: int = 0
    silent_region: str = ""
    sold_out: dict[str, int] = field(default_factory=dict)


CALM = Mood(most_per_second=0, slow_every=0, fails_every=0)
"""It answers every request at once."""


class Mannered(ABC):
    """A WSGI application (PEP 3333) that answers JSON, in a mood."""

    def __init__(self, mood: Mood | None = None) -> None:
        self.mood = mood or Mood()
        self._turns = threading.Lock()
        self._asked, self._recent = 0, []  # type: tuple[int, list[float]]

    @abstractmethod
    def answer(self, environ: dict[str, Any]) -> Answer:
        """Return the answer to one request."""

    def __call__(self, environ: dict[str, Any], start_response: Callable[..., Any]) -> Iterable[bytes]:
        """Answer one request, in the mood that it meets."""
        turn, busy = self._turn()
        status, headers, body = self._upset(turn, busy) or self.answer(environ)
        data = json.dumps(body).encode()
        if _every(self.mood.nonsense_every, turn):
            data = b"<p>it works</p>"
        announced = len(data)
        if _every(self.mood.drops_every, turn):
            # More is announced than comes: the connection ends in the middle of the answer.
            data = data[: len(data) // 2]
        start_response(status, [("Content-Type", "application/json"), ("Content-Length", str(announced)), *headers])
        return [data]

    def _upset(self, turn: int, busy: bool) -> Answer | None:
        mood = self.mood
        # Dead for good, to see that whoever asks fails cleanly.
        if mood.dies_after and turn > mood.dies_after:
            return "500 Internal Server Error", [], {"error": "out of order"}
        if busy:
            return "429 Too Many Requests", [("Retry-After", "1")], {"error": "slower, please"}
        if _every(mood.fails_every, turn):
            return "503 Service Unavailable", [], {"error": "try again"}
        if _every(mood.slow_every, turn):
            time.sleep(mood.slow_s)
        return None

    def _turn(self) -> tuple[int, bool]:
        """Count the request; return its number and whether the second is full."""
        now = time.monotonic()
        with self._turns:
            self._asked += 1
            # Requests of the last second, as a limiter with a sliding window counts them.
            self._recent = [moment for moment in self._recent if now - moment < 1.0]
            busy = bool(self.mood.most_per_second) and len(self._recent) >= self.mood.most_per_second
            if not busy:
                self._recent.append(now)
            return self._asked, busy


def _every(often: int, turn: int) -> bool:
    return bool(often) and turn % often == 0
