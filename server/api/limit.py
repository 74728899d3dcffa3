"""A time limit for what is computed within a request, so that no question keeps one of the few threads for good."""

from __future__ import annotations

import ctypes
import threading
from collections.abc import Iterator
from contextlib import contextmanager

MOST_S = 60.0
"""A request is answered within this, or ends: what may take longer is work for a job. Bounds at the door keep answers far below."""
BYTES_PER_S = 200_000
"""A large body has longer, as it may arrive this slowly."""


class TookTooLong(Exception):
    """The answer of a request took longer than allowed."""


@contextmanager
def limited(seconds: float) -> Iterator[None]:
    """Raise ``TookTooLong`` in this thread once what stands within has run for so many seconds.

    It is raised between two steps of Python: a call into compiled code ends first.
    """
    thread, over, held = threading.get_ident(), False, threading.Lock()

    def end() -> None:
        with held:
            if not over:
                # The exception is raised in the thread that computes; code that is compiled hears it once it returns to Python.
                ctypes.pythonapi.PyThreadState_SetAsyncExc(ctypes.c_ulong(thread), ctypes.py_object(TookTooLong))

    timer = threading.Timer(seconds, end)
    timer.daemon = True
    timer.start()
    try:
        yield
    finally:
        # Under the lock: the timer has either fired, and the exception is raised here or was, or it never will.
        with held:
            over = True
        timer.cancel()
