"""How a job is done: claimed before it is computed, closed in one transaction with its result, and found done when it comes twice."""

from __future__ import annotations

import logging
from collections.abc import Sequence
from typing import Any

from django.db import transaction

from config.logs import about
from jobs.claims import AWAY, Claim, claim, patiently
from jobs.control import Control, Stopped
from jobs.kinds import Kind, Needless, kind_of
from jobs.models import ACTIVE, Job, JobStatus
from rombel.errors import Fault
from rombel.fit import Progress

log = logging.getLogger("rombel.jobs")

TOO_LARGE = "It needed more memory than a worker may take here. Ask for less, or let whoever runs Rombel raise ROMBEL_JOB_MEMORY_MIB."
SPENT = "Three workers began this and none came to its end; it is not begun again."


def run(key: int) -> bool:
    """Do a job; return False where it is to come again, since it gave way to another one.

    Raises
    ------
    StillHeld
        When another worker computes it.

    """
    held = claim(key)
    if held is None:
        # Nothing to do: it was closed, or the entry of the queue is older than its row.
        return True
    kind = kind_of(held.job.kind)
    if held.spent and not kind.endless:
        _end(held, kind, JobStatus.FAILED, SPENT)
        return True

    def told(progress: Progress) -> None:
        kind.told(held.job, progress)

    control = Control(held, told, gives_way=kind.gives_way)
    with about(job=f"{held.job.kind} {key}", subject=held.job.subject):
        return _done(held, kind, control)


def _done(held: Claim, kind: Kind[Any, Any], control: Control) -> bool:
    """Compute a claimed job and close it; return False where it is to come again."""
    try:
        # While it computes its row shows that it lives.
        with held.beating():
            given = kind.given(held.job)
            result = kind.compute(given, control)
        if control.gave_way:
            return not patiently(held.give_back)
        patiently(lambda: _store(held, kind, given, result))
    except (Needless, Stopped) as ended:
        # What stopped only to give way has not ended: whatever it says of that, it comes again.
        if control.gave_way:
            return not patiently(held.give_back)
        if isinstance(ended, Needless):
            _end(held, kind, JobStatus.DONE, str(ended))
        else:
            _end(held, kind, JobStatus.FAILED, kind.stopped)
    except AWAY:
        # The database did not answer for minutes: the queue tries the entry again.
        raise
    except Exception as error:
        _fail(held, kind, error)
    return True


def _fail(held: Claim, kind: Kind[Any, Any], error: Exception) -> None:
    """Close a job that met an error, in the words of its kind."""
    if isinstance(error, MemoryError):
        log.warning("a job ran out of memory")
        _end(held, kind, JobStatus.FAILED, TOO_LARGE)
        return
    refusal = kind.refusal(error)
    if refusal is None:
        log.exception("a job failed")
        _end(held, kind, JobStatus.FAILED, kind.defect.format(error=type(error).__name__))
    else:
        _end(held, kind, JobStatus.FAILED, refusal.message, refusal.faults)


def _store(held: Claim, kind: Kind[Any, Any], given: Any, result: Any) -> None:
    """Close the job with its result, as long as it is this worker's."""
    with transaction.atomic():
        # Fenced: a worker that was taken for dead may not write over the one that took the job up.
        if not held.close(JobStatus.DONE, "", share=1.0):
            return
        if message := kind.store(held.job, given, result):
            Job.objects.filter(pk=held.job.pk).update(message=message)
        close_parent(held.job)
        # Follow-ups wait for the commit, as they read what was stored.
        transaction.on_commit(lambda: kind.on_done(held.job))


def _end(held: Claim, kind: Kind[Any, Any], status: JobStatus, message: str, faults: Sequence[Fault] = ()) -> None:
    """Close a job without a result, as long as it is this worker's."""

    def write() -> None:
        with transaction.atomic():
            if held.close(status, message):
                if status is JobStatus.FAILED:
                    kind.failed(held.job, faults)
                close_parent(held.job)

    patiently(write)


def close_parent(job: Job) -> None:
    """Write how many parts are done to the job that this is a part of, and close it with the last one; it is locked for that."""
    if job.parent_id is None:
        return
    # Parts close one after the other, and the last one closes the parent.
    parent = Job.objects.select_for_update().get(pk=job.parent_id)
    if parent.status not in ACTIVE:
        return
    statuses = list(parent.parts.values_list("status", flat=True))
    open_parts = sum(status in ACTIVE for status in statuses)
    parent.share, parent.phase = 1 - open_parts / len(statuses), f"{len(statuses) - open_parts} of {len(statuses)}"
    parent.save(update_fields=["share", "phase"])
    if not open_parts:
        failed = statuses.count(JobStatus.FAILED)
        words = f"{failed} of {len(statuses)} parts could not be computed." if failed else ""
        Claim(parent).close(JobStatus.FAILED if failed else JobStatus.DONE, words)
