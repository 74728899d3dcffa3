"""Something done again and again in a thread of its own, while something else goes on."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from django.db import DatabaseError, connection

ENDS_S = 3.0
"""A beat that is under way at the end has so long to end."""


@contextmanager
def beats(every_s: float, beat: Callable[[], object]) -> Iterator[None]:
    """Beat every so many seconds until what stands within has ended; a beat that finds the database away is left out."""
    over = threading.Event()

    def go_on() -> None:
        while not over.wait(every_s):
            try:
                beat()
            except DatabaseError:
                # The next one asks on a connection of its own.
                connection.close()
        connection.close()

    thread = threading.Thread(target=go_on, daemon=True)
    thread.start()
    try:
        yield
    finally:
        over.set()
        thread.join(ENDS_S)
