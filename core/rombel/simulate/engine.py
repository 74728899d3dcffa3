"""A discrete-event engine: a heap of what comes next, crews that work on what waits, pools of things that fail."""

from __future__ import annotations

import heapq
from collections import deque
from collections.abc import Callable
from random import Random

Happening = Callable[[], None]


class Engine:
    """A clock that jumps from one happening to the next.

    Happenings at the same time come in the order of their priority, then of their scheduling: two runs with the same
    seed are the same.
    """

    def __init__(self) -> None:
        self.now = 0.0
        self._queue: list[tuple[float, int, int, Happening]] = []
        self._made = 0

    def after(self, delay: float, happening: Happening, priority: int = 0) -> None:
        """Let something happen after a delay of at least 0."""
        self._made += 1
        # Ties go by priority, then by order of asking, so that the same seed plays the same.
        heapq.heappush(self._queue, (self.now + delay, priority, self._made, happening))

    @property
    def is_quiet(self) -> bool:
        """Return whether nothing more is to come."""
        return not self._queue

    def run(self) -> None:
        """Let everything happen until nothing more is to come; the clock stays at the last happening."""
        while self._queue:
            self.run_until(self._queue[0][0])

    def run_until(self, end: float) -> None:
        """Let everything happen up to a time, and set the clock to it."""
        queue = self._queue
        while queue and queue[0][0] <= end:
            self.now, _, _, happening = heapq.heappop(queue)
            happening()
        self.now = end


class Crew:
    """So many servers that take what comes in the order in which it came; ``seconds`` draws how long one takes."""

    def __init__(self, engine: Engine, servers: int, seconds: Callable[[], float]) -> None:
        self._engine, self._free, self._seconds = engine, servers, seconds
        self._waiting: deque[tuple[float, Callable[[float], None]]] = deque()

    def ask(self, done: Callable[[float], None]) -> None:
        """Put something in the line; ``done`` is called at its end with the seconds that it waited."""
        self._waiting.append((self._engine.now, done))
        self._serve()

    def _serve(self) -> None:
        while self._free and self._waiting:
            came, done = self._waiting.popleft()
            self._free -= 1
            # How long it has waited is known when it begins to be served.
            waited = self._engine.now - came

            def finish(done: Callable[[float], None] = done, waited: float = waited) -> None:
                self._free += 1
                done(waited)
                self._serve()

            self._engine.after(self._seconds(), finish)


class Pool:
    """Things of one kind that fail by chance while they work and are down for a fixed time.

    The failures of all of them are one stream: a strike on what is down already changes nothing, which leaves the rate of
    each as it is while it works (thinning; Lewis and Shedler 1979, from memory).
    """

    def __init__(
        self,
        engine: Engine,
        rng: Random,
        count: int,
        rate: float,
        repair: float,
        on_change: Callable[[int, bool], None],
    ) -> None:
        self._engine, self._rng, self._repair, self._on_change = engine, rng, repair, on_change
        # One exponential clock for all: the next failure of many is that of any at the sum of their rates.
        self._rate = count * rate
        self.down_since: list[float | None] = [None] * count
        if self._rate > 0:
            self._next()

    def _next(self) -> None:
        self._engine.after(self._rng.expovariate(self._rate), self._strike)

    def _strike(self) -> None:
        # Which of them fails is drawn; one that is down already does not fail again, which thins the rate as it should.
        number = self._rng.randrange(len(self.down_since))
        if self.down_since[number] is None:
            self.down_since[number] = self._engine.now
            self._engine.after(self._repair, lambda: self._back(number))
            self._on_change(number, True)
        self._next()

    def _back(self, number: int) -> None:
        self.down_since[number] = None
        self._on_change(number, False)
