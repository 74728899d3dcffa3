"""A worker claims a row before it computes it, shows that it lives, and writes only as long as the claim is its own.

The same job may be started twice: a worker that stalls is taken for dead, a killed one is, and a database that comes back forgets
what was under way. So a claim is made under lock, is refused while another one is alive, and every write asks whether it still
holds: the later claim wins, and what the earlier one finds afterwards is dropped.
"""

from __future__ import annotations

import threading
import time
import uuid
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from datetime import timedelta
from typing import Any, Generic, TypeVar

from django.db import DatabaseError, InterfaceError, OperationalError, connection, transaction
from django.db.models import QuerySet
from django.utils import timezone

from jobs.models import Work

MOST_ATTEMPTS = 3
BEAT_S, LISTEN_S = 3.0, 0.4
COME_BACK_S = 5
"""A job that another worker holds, or that gives way, is looked at again after so many seconds."""
GONE_S = 15.0
"""A worker that was not heard of for so long is taken for gone."""
PATIENCE_S = 120.0
"""An answer waits for the database so long before it is given up."""
AWAY = (OperationalError, InterfaceError)

R = TypeVar("R", bound=Work)
T = TypeVar("T")


class StillHeld(Exception):
    """Another worker that is alive computes the row."""


class Claim(Generic[R]):
    """The right to compute a row and to write to it.

    ``stopped`` is set once somebody wishes the work to stop; whoever computes may ask it as often as it likes.

    Parameters
    ----------
    row
        As it was when it was claimed.

    """

    def __init__(self, row: R) -> None:
        self.row = row
        self._rows: QuerySet[R] = QuerySet(type(row)).filter(pk=row.pk, worker=row.worker)
        self.spent = row.attempts > MOST_ATTEMPTS
        self.stopped = threading.Event()

    def write(self, **fields: Any) -> bool:
        """Write fields and show that the worker lives; return whether the claim still holds."""
        return bool(self._rows.update(seen_at=timezone.now(), **fields))

    def close(self, **fields: Any) -> bool:
        """Write the last fields and give the claim back."""
        return self.write(worker="", **fields)

    def tell(self, **fields: Any) -> bool:
        """Write fields as ``write`` does, and return whether to stop: it is wished, or the claim no longer holds."""
        return not self.write(**fields) or self._wished()

    def _wished(self) -> bool:
        """Return whether a stop is wished; that the row is another worker's by now, the next write tells."""
        return bool(self._rows.values_list("stop_requested", flat=True).first())

    @contextmanager
    def beating(self) -> Iterator[None]:
        """Show that the worker lives and listen for a wish to stop, from a thread of its own, while something long is computed."""
        over = threading.Event()

        def beat() -> None:
            shown = time.monotonic()
            while not over.wait(LISTEN_S):
                try:
                    if self._wished():
                        self.stopped.set()
                    if time.monotonic() - shown > BEAT_S:
                        shown = time.monotonic()
                        self.write()
                except DatabaseError:
                    connection.close()
            connection.close()

        thread = threading.Thread(target=beat, daemon=True)
        thread.start()
        try:
            yield
        finally:
            over.set()
            thread.join(BEAT_S)


def claim(rows: type[R], key: int, active: Sequence[str], **fields: Any) -> Claim[R] | None:
    """Return the claim of a row, or None where there is nothing left to do.

    Parameters
    ----------
    rows, key
        The row's table and key.
    active
        The statuses in which there is something to do.
    fields
        Written with the claim.

    Raises
    ------
    StillHeld
        When another worker was heard of a moment ago.

    """
    with transaction.atomic():
        found: QuerySet[Any] = QuerySet(rows)
        row = found.select_for_update(of=("self",)).filter(pk=key).first()
        if row is None or row.status not in active:
            return None
        if is_held(row):
            raise StillHeld
        row.attempts += 1
        row.worker, row.seen_at = str(uuid.uuid4()), timezone.now()
        for name, value in fields.items():
            setattr(row, name, value)
        row.save(update_fields=["attempts", "worker", "seen_at", *fields])
    return Claim(row)


def begun(
    rows: type[R],
    key: int,
    active: Sequence[str],
    *,
    again: Callable[..., object],
    spent: Callable[[Claim[R]], object],
    **fields: Any,
) -> Claim[R] | None:
    """Return the claim of a row to compute now, or None where there is nothing to do now.

    Parameters
    ----------
    rows, key, active, fields
        As of ``claim``.
    again
        Queues the job again, as ``again(key, after_s=...)``, where another worker that is alive holds the row.
    spent
        Closes a row that too many workers have begun.

    """
    try:
        held = claim(rows, key, active, **fields)
    except StillHeld:
        again(key, after_s=COME_BACK_S)
        return None
    if held is not None and held.spent:
        spent(held)
        return None
    return held


def is_held(row: Work) -> bool:
    """Return whether a worker that is alive computes the row."""
    seen = row.seen_at
    return bool(row.worker) and seen is not None and timezone.now() - seen < timedelta(seconds=GONE_S)


def is_left(row: Work) -> bool:
    """Return whether a worker began the row and is gone."""
    return bool(row.worker) and not is_held(row)


def patiently(write: Callable[[], T]) -> T:
    """Return what a write returns; while the database is away it is tried again, for two minutes at most."""
    end, pause = time.monotonic() + PATIENCE_S, 0.5
    while True:
        try:
            return write()
        except AWAY:
            connection.close()
            if time.monotonic() > end:
                raise
            time.sleep(pause)
            pause = min(2 * pause, 5.0)
