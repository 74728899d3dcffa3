"""A worker claims a job before it computes it, shows that it lives, and writes only as long as the claim is its own.

The same job may be started twice: a worker that stalls is taken for dead, a killed one is, and a database that comes back forgets
what was under way. So a claim is made under lock, is refused while another one is alive, and every write asks whether it still
holds: the later claim wins, and what the earlier one finds afterwards is dropped.
"""

from __future__ import annotations

import threading
import time
import uuid
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, TypeVar

from django.db import InterfaceError, OperationalError, connection, transaction
from django.db.models import F
from django.db.models.functions import Now
from django.utils import timezone

from jobs.beats import beats
from jobs.clock import heard_of_within
from jobs.models import ACTIVE, Job, JobStatus
from jobs.presence import OWN
from jobs.versions import code_version
from rombel import __version__

MOST_ATTEMPTS = 3
BEAT_S, LISTEN_S = 3.0, 0.4
GONE_S = 15.0
"""A worker that was not heard of for so long is taken for gone."""
PATIENCE_S = 120.0
"""An answer waits for the database so long before it is given up."""
AWAY = (OperationalError, InterfaceError)

T = TypeVar("T")


class StillHeld(Exception):
    """Another worker that is alive computes the job."""


class OtherVersion(Exception):
    """The job was asked of other code than this worker has, which would perhaps answer it otherwise."""


class Claim:
    """The right to compute a job and to write to it.

    ``stopped`` is set once somebody wishes the job to stop, or the claim is lost, and stays so; whoever computes may ask it as often
    as it likes.

    Parameters
    ----------
    job
        As it was when it was claimed.

    """

    def __init__(self, job: Job) -> None:
        self.job = job
        self._rows = Job.objects.filter(pk=job.pk, worker=job.worker)
        self.stopped = threading.Event()

    @property
    def spent(self) -> bool:
        """Return whether too many workers have begun the job."""
        return self.job.attempts > MOST_ATTEMPTS

    def write(self, **fields: Any) -> bool:
        """Write fields and show that the worker lives; return whether the claim still holds."""
        return bool(self._rows.update(seen_at=Now(), **fields))

    def close(self, status: JobStatus, message: str, **fields: Any) -> bool:
        """Write how the job ended and give the claim back; a message that stands already is kept where there is no new one."""
        said = {"message": message} if message else {}
        ended = {"status": status, "phase": str(status), "finished_at": timezone.now(), "worker": ""}
        return self.write(**ended, **said, **fields)

    def give_back(self) -> bool:
        """Queue the job again, this attempt not counted."""
        return self.write(status=JobStatus.QUEUED, phase="", worker="", attempts=F("attempts") - 1)

    def tell(self, **fields: Any) -> bool:
        """Write fields as ``write`` does, and return whether to stop: it is wished, or the claim no longer holds."""
        if not self.write(**fields) or self._wished():
            self.stopped.set()
        return self.stopped.is_set()

    def keep(self, write: Callable[[], object]) -> bool:
        """Let ``write`` write in one transaction with a sign of life; return whether the claim still holds, else nothing is written."""
        with transaction.atomic():
            # First the sign of life: it locks the row, so that no other claim can come in between.
            holds = self.write()
            if holds:
                write()
        return holds

    def _wished(self) -> bool:
        """Return whether a stop is wished; that the job is another worker's by now, the next write tells."""
        return any(self._rows.values_list("stop_requested", "parent__stop_requested").first() or ())

    @contextmanager
    def beating(self) -> Iterator[None]:
        """Show that the worker lives and listen for a wish to stop, from a thread of its own, while something long is computed."""
        shown = time.monotonic()

        def beat() -> None:
            nonlocal shown
            if self._wished():
                self.stopped.set()
            if time.monotonic() - shown > BEAT_S:
                shown = time.monotonic()
                self.write()

        with beats(LISTEN_S, beat):
            yield


def claim(key: int) -> Claim | None:
    """Return the claim of a job, or None where there is nothing left to do.

    Raises
    ------
    StillHeld
        When another worker was heard of a moment ago.
    OtherVersion
        When it was asked of other code.

    """
    with transaction.atomic():
        job = Job.objects.select_for_update().filter(pk=key).first()
        # An entry of the queue may come after its job was done, or deleted with its study.
        if job is None or job.status not in ACTIVE:
            return None
        if is_held(job):
            raise StillHeld
        if job.for_version not in ("", code_version()):
            raise OtherVersion
        # Counted before anything is computed: a job that kills its worker each time is given up in the end.
        job.attempts += 1
        job.worker, job.status, job.core_version = str(uuid.uuid4()), JobStatus.RUNNING, __version__
        job.process_id = OWN.key
        job.save(update_fields=["attempts", "worker", "status", "core_version", "process"])
        found = Claim(job)
        found.write()
    return found


def is_held(job: Job) -> bool:
    """Return whether a worker that is alive computes the job."""
    return bool(job.worker) and Job.objects.filter(heard_of_within(GONE_S), pk=job.pk).exists()


def is_left(job: Job) -> bool:
    """Return whether a worker began the job and is gone."""
    return bool(job.worker) and not is_held(job)


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
