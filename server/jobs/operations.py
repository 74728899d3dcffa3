"""What whoever runs Rombel looks at: what waits, who works, what failed and why, and how large the database is."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from django.db import connection
from django.db.models import DurationField, ExpressionWrapper, F, Prefetch
from django.db.models.functions import Now
from django.utils import timezone

from jobs.kinds import kind_of
from jobs.models import ACTIVE, Job, JobStatus, Worker
from jobs.presence import living
from jobs.versions import code_version

FAILURES = 50
RECENT = timedelta(days=7)
TABLES = 10
STATEMENTS = 10
_VALUE = re.compile(r"'(?:[^']|'')*'?")
"""A value within a statement, which may be a secret; the last one may be cut off."""


@dataclass(frozen=True, slots=True)
class QueueLine:
    """What waits in a queue and what is under way; ``oldest_s``: for how long the first has waited, in seconds (0: nothing waits).

    ``other_code``: how many of them wait for a worker of other code than any that lives.
    """

    name: str
    waiting: int
    running: int
    oldest_s: float
    other_code: int


@dataclass(frozen=True, slots=True)
class WorkerLine:
    """A worker that lives, what it does, and whether it has the code of this web process (``same_code``)."""

    machine: str
    process: int
    queues: str
    at_once: int
    version: str
    same_code: bool
    started_at: datetime
    seen_at: datetime
    jobs: Sequence[str]


@dataclass(frozen=True, slots=True)
class FailedLine:
    """A job that failed of late, why, and whether it may be begun again as it is."""

    id: int
    kind: str
    subject: str
    message: str
    attempts: int
    asked_by: str
    finished_at: datetime | None
    again: bool


@dataclass(frozen=True, slots=True)
class TableLine:
    """A table of the database with its indexes: bytes, and rows as last estimated (None: the database has not counted them yet)."""

    name: str
    size_bytes: int
    rows: int | None


@dataclass(frozen=True, slots=True)
class StatementLine:
    """A statement that the database has worked on for a while: seconds until now, and its words without the values in them."""

    seconds: float
    words: str


@dataclass(frozen=True, slots=True)
class Operations:
    """All of it, at one moment."""

    version: str
    queues: Sequence[QueueLine]
    workers: Sequence[WorkerLine]
    failed: Sequence[FailedLine]
    tables: Sequence[TableLine]
    database_bytes: int
    statements: Sequence[StatementLine]


def operations() -> Operations:
    """Return how this installation stands."""
    workers = list(living().prefetch_related(Prefetch("jobs", Job.objects.filter(status=JobStatus.RUNNING))))
    size, tables = _tables()
    return Operations(
        version=code_version(),
        queues=queue_lines({worker.version for worker in workers}),
        workers=[_worker(row) for row in workers],
        failed=[_failed(row) for row in _failures()],
        tables=tables,
        database_bytes=size,
        statements=_statements(),
    )


def queue_lines(versions: set[str]) -> list[QueueLine]:
    """Return the queues in which something waits or is under way, by name; ``versions``: of the code that living workers have."""
    found = defaultdict(list)
    # A job with parts is computed by them, and waits for nobody.
    rows = Job.objects.filter(status__in=ACTIVE, parts=None)
    ages = ExpressionWrapper(Now() - F("created_at"), DurationField())
    for kind, status, age, asked in rows.values_list("kind", "status", ages, "for_version"):
        # Ages by the database's clock, as clocks of machines may differ.
        waits = status == JobStatus.QUEUED
        found[kind_of(kind).queue].append((waits, age.total_seconds(), asked))
    return [
        QueueLine(
            name,
            waiting=sum(waits for waits, _, _ in own),
            running=sum(not waits for waits, _, _ in own),
            oldest_s=max((age for waits, age, _ in own if waits), default=0.0),
            other_code=sum(waits and asked not in {"", *versions} for waits, _, asked in own),
        )
        for name, own in sorted(found.items())
    ]


def _worker(row: Worker) -> WorkerLine:
    jobs = [f"{job.kind}: {job.subject}" if job.subject else job.kind for job in row.jobs.all()]
    return WorkerLine(
        row.machine,
        row.process,
        row.queues,
        row.at_once,
        row.version,
        row.version == code_version(),
        row.started_at,
        row.seen_at,
        jobs,
    )


def _failures() -> list[Job]:
    since = timezone.now() - RECENT
    rows = Job.objects.filter(status=JobStatus.FAILED, finished_at__gt=since, parent=None)
    return list(rows.select_related("asked_by").order_by("-finished_at", "-pk")[:FAILURES])


def _failed(row: Job) -> FailedLine:
    asked = row.asked_by.shown_name if row.asked_by else ""
    kind = kind_of(row.kind)
    # Of a job with parts the parts are begun again, not the whole; and what somebody stopped was meant to end.
    again = kind.again and kind.parts is None and not row.stop_requested
    return FailedLine(row.pk, row.kind, row.subject, row.message, row.attempts, asked, row.finished_at, again)


def _statements() -> list[StatementLine]:
    """Return what the database works on for longer than a second, the longest first."""
    with connection.cursor() as cursor:
        cursor.execute(
            "select extract(epoch from clock_timestamp() - query_start), query from pg_stat_activity"
            # Others may share the server of the database; what they do is nobody's business here.
            " where datname = current_database() and state = 'active' and pid <> pg_backend_pid()"
            " and clock_timestamp() - query_start > interval '1 second' order by query_start limit %s",
            [STATEMENTS],
        )
        return [StatementLine(float(age), _VALUE.sub("'…'", words)[:300]) for age, words in cursor.fetchall()]


def _tables() -> tuple[int, list[TableLine]]:
    """Return the bytes of the whole database, and its largest tables."""
    with connection.cursor() as cursor:
        cursor.execute("select pg_database_size(current_database())")
        (size,) = cursor.fetchone()
        cursor.execute(
            "select relname, pg_total_relation_size(oid) as own, nullif(reltuples, -1)::bigint from pg_class"
            " where relkind = 'r' and relnamespace = 'public'::regnamespace order by own desc, relname limit %s",
            [TABLES],
        )
        return int(size), [TableLine(name, int(own), rows) for name, own, rows in cursor.fetchall()]
