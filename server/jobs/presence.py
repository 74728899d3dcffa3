"""Which workers there are, on whichever machines: each writes a row while it lives."""

from __future__ import annotations

import os
import socket
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from dataclasses import dataclass

from django.db import DatabaseError
from django.db.models import QuerySet
from django.db.models.functions import Now

from jobs.beats import beats
from jobs.clock import before, heard_of_within
from jobs.models import Worker
from jobs.versions import code_version

BEAT_S = 5.0
AWAY_S = 40.0
"""A worker that was not heard of for so long is taken for gone."""
FORGOTTEN_S = 24 * 3600


@dataclass
class Own:
    """The key of this process's row among the workers; None: it is none."""

    key: int | None = None


OWN = Own()


def living() -> QuerySet[Worker]:
    """Return the workers that have let themselves be heard of late."""
    return Worker.objects.filter(heard_of_within(AWAY_S))


def forget_gone() -> None:
    """Drop the rows of workers that were killed long ago."""
    Worker.objects.filter(seen_at__lt=before(FORGOTTEN_S)).delete()


@contextmanager
def present(queues: str, at_once: int) -> Iterator[Worker]:
    """Write a row for this worker, and show that it lives until it ends."""
    row = Worker.objects.create(
        machine=socket.gethostname()[:120],
        process=os.getpid(),
        queues=queues[:200],
        at_once=at_once,
        version=code_version(),
    )
    earlier, OWN.key = OWN.key, row.pk

    def beat() -> None:
        row.seen_at = Now()
        # Saved whole: a machine that slept for a day finds its row gone, and jobs refer to it.
        row.save()

    try:
        with beats(BEAT_S, beat):
            yield row
    finally:
        OWN.key = earlier
        with suppress(DatabaseError):
            row.delete()
