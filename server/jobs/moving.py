"""For migrations: gives a job of its own to every row that carried the columns of one."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

from django.db import migrations, models

COLUMNS = ("attempts", "worker", "seen_at", "status", "phase", "share", "stop_requested", "message")
"""What every such table had."""
STATUSES = ("queued", "running", "done", "failed")


def moved_to_jobs(app: str, model: str, kind: str, asker: str, started: str) -> Callable[[Any, Any], None]:
    """Return the step of a migration that makes the jobs of a table.

    What was under way is queued anew by the rescue, since the queue knows nothing of it under its new name.

    Parameters
    ----------
    app, model, kind
        The table, and the kind that its jobs are.
    asker, started
        Its columns for who asked and when.

    """

    def step(apps: Any, editor: Any) -> None:
        rows, jobs = apps.get_model(app, model), apps.get_model("jobs", "Job")
        for row in rows.objects.filter(job=None).iterator():
            # Outcomes of old tables that are no status of a job are told by the row itself.
            status = row.status if row.status in STATUSES else "done"
            job = jobs.objects.create(
                kind=kind,
                # Whatever was under way in an older version is begun anew.
                status="queued" if status == "running" else status,
                phase=row.phase,
                share=row.share,
                message=row.message,
                stop_requested=row.stop_requested,
                asked_by_id=getattr(row, f"{asker}_id"),
                finished_at=getattr(row, "finished_at", None),
            )
            # The time of creation is set by the field itself, and corrected afterwards.
            jobs.objects.filter(pk=job.pk).update(created_at=getattr(row, started))
            rows.objects.filter(pk=row.pk).update(job=job)
        # The table is altered next, which it cannot be while keys of its rows wait to be checked.
        editor.execute("SET CONSTRAINTS ALL IMMEDIATE")
        editor.execute("SET CONSTRAINTS ALL DEFERRED")

    return step


def job_field(*, null: bool) -> models.OneToOneField[Any, Any]:
    """Return the field of a row that points at its job, empty while a migration moves the rows."""
    return models.OneToOneField("jobs.Job", models.PROTECT, related_name="%(class)s", null=null)


def with_jobs(app: str, model: str, kind: str, *, asker: str, started: str, gone: Sequence[str] = ()) -> list[Any]:
    """Return the operations that give a table its jobs and take away the columns that it had for them, ``gone`` besides."""
    move = migrations.RunPython(moved_to_jobs(app, model, kind, asker, started), migrations.RunPython.noop)
    return [
        migrations.AddField(model, "job", job_field(null=True)),
        move,
        migrations.AlterField(model, "job", job_field(null=False)),
        *[migrations.RemoveField(model, name) for name in (*COLUMNS, *gone)],
    ]
