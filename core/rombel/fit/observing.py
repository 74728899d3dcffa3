"""What a fit tells while it works, and the wish to stop that it hears."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass
from decimal import Decimal
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

ASKED_EVERY_S = 0.1
"""A wish is asked for so often at most while a program is solved."""


@dataclass(frozen=True, slots=True)
class Progress:
    """Where a fit stands: phase, share done (0 to 1), best cost and floor an hour (0: none yet)."""

    phase: str
    share: float
    cost_per_hour: Decimal
    floor_per_hour: Decimal


class FitObserver(Protocol):
    """Is told of progress, and says when to stop."""

    def on_progress(self, progress: Progress) -> bool:
        """Return True to stop and keep the best so far."""
        ...


class SilentObserver:
    """Watches without a word and never stops."""

    def on_progress(self, progress: Progress) -> bool:
        """Return False."""
        return False


class Wish:
    """The wish to stop, heard once and then by every part of a fit; also the end of the time that was given.

    An observer may have a method ``wishes_to_stop() -> bool`` beside its own: it is asked often, from a thread that only listens, so
    that a wish is heard while compiled code or a solver is at work. It must be quick and safe to call from any thread.

    Parameters
    ----------
    observer
        Is told, and says when to stop; it is told by the thread that made the wish alone.
    seconds
        Stop after this time; None: when told.

    """

    def __init__(self, observer: FitObserver, seconds: float | None = None) -> None:
        # The owner's thread alone may call the observer, which may hold a database connection of that thread.
        self._observer, self._owner = observer, threading.get_ident()
        self._end = None if seconds is None else time.monotonic() + seconds
        self._asked = 0.0
        self._last = Progress("relaxing", 0.0, Decimal(0), Decimal(0))
        self._flags: list[NDArray[np.int64]] = []
        self._over = threading.Event()
        self.heard = False
        asks: Callable[[], bool] | None = getattr(observer, "wishes_to_stop", None)
        # Some observers can be asked from another thread; then the wish reaches compiled code while it runs.
        if asks is not None:
            threading.Thread(target=self._listen, args=(asks,), daemon=True).start()

    def _listen(self, asks: Callable[[], bool]) -> None:
        while not self._over.wait(ASKED_EVERY_S):
            if asks():
                self.heard = True
                # Compiled code reads flags in memory, so it can be stopped in the middle of a step.
                for flag in list(self._flags):
                    flag[:] = 1
                return

    def wishes_to_stop(self) -> bool:
        """Return whether anybody has wished to stop, without asking."""
        return self.heard

    def flag(self, flags: NDArray[np.int64]) -> None:
        """Set flags of compiled code to 1 once the wish is heard by listening."""
        self._flags.append(flags)
        if self.heard:
            flags[:] = 1

    def close(self) -> None:
        """End the listening."""
        self._over.set()

    @property
    def timed(self) -> bool:
        """Return whether there is an end of time."""
        return self._end is not None

    def on_progress(self, progress: Progress) -> bool:
        """Tell the observer, and return whether anybody has ever wished to stop."""
        self._last = progress
        late = self._end is not None and time.monotonic() > self._end
        # Latched: a wish that was heard once stays heard, even if the observer changes its mind.
        self.heard = self._observer.on_progress(progress) or late or self.heard
        self._asked = time.monotonic()
        return self.heard

    def ask(self) -> bool:
        """Return whether anybody has wished to stop; asks again from time to time, from the thread that owns the wish."""
        if not self.heard and threading.get_ident() == self._owner and time.monotonic() - self._asked > ASKED_EVERY_S:
            self.on_progress(self._last)
        return self.heard
