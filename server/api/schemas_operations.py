"""How an installation stands, as it is sent to leads."""

from __future__ import annotations

from datetime import datetime

from api.answer import Answer


class QueueOut(Answer):
    """What waits in a queue, and what of it is under way."""

    name: str
    waiting: int
    running: int
    oldest_s: float
    other_code: int


class WorkerOut(Answer):
    """A worker that lives."""

    machine: str
    process: int
    queues: str
    at_once: int
    version: str
    same_code: bool
    started_at: datetime
    seen_at: datetime
    jobs: list[str]


class FailedJobOut(Answer):
    """A job that failed within a week."""

    id: int
    kind: str
    subject: str
    message: str
    attempts: int
    asked_by: str
    finished_at: datetime | None
    again: bool


class TableOut(Answer):
    """A table of the database, with its indexes."""

    name: str
    size_bytes: int
    rows: int | None


class StatementOut(Answer):
    """A statement that the database works on for longer than a second."""

    seconds: float
    words: str


class KeptOut(Answer):
    """Answers that are kept, and by which house rule."""

    answers: int
    handed_in: int
    oldest: datetime | None
    newest: int
    days: int


class OperationsOut(Answer):
    """How an installation stands: queues, workers, failures of a week, the largest tables, slow statements, answers that are kept."""

    version: str
    queues: list[QueueOut]
    workers: list[WorkerOut]
    failed: list[FailedJobOut]
    tables: list[TableOut]
    database_bytes: int
    statements: list[StatementOut]
    kept: KeptOut
