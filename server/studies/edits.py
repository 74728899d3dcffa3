"""Changes that can be undone: applied, recorded, taken back and done again."""

from __future__ import annotations

import uuid
from typing import Any, TypedDict

from accounts.action import Overtaken
from accounts.models import User
from rombel.errors import refuse
from studies.adapt import FIELDS
from studies.models import Edit, Study, Variant, Workload


class Change(TypedDict):
    """One thing's fields before and after; None: it was, or is, not there."""

    kind: str
    key: str
    before: dict[str, Any] | None
    after: dict[str, Any] | None


VARIANT_FIELDS = (
    "region_id",
    "zones",
    "survive_zone",
    "lost_nodes",
    "survive_nodes",
    "most_pools",
    "fewest_nodes_per_pool",
    "fewest_nodes_per_zone",
    "equal_zones",
    "headroom",
    "headroom_replicas",
    "most_pods_per_node",
    "purchases",
    "families",
    "family_rules",
    "control_plane_members",
    "tier",
    "budget_per_month",
    "level",
    "sizes",
    "beyond",
    "beside",
    "addresses",
    "build",
)


def workload_fields(row: Workload) -> dict[str, Any]:
    """Return the fields of a row as they are recorded."""
    return {name: getattr(row, name) for name in FIELDS}


def variant_fields(row: Variant) -> dict[str, Any]:
    """Return the fields of a variant that an edit may change."""
    fields = {name: getattr(row, name) for name in VARIANT_FIELDS}
    return {**fields, "budget_per_month": None if row.budget_per_month is None else str(row.budget_per_month)}


def record(study: Study, actor: User, summary: str, changes: list[Change], *, why: str = "") -> Edit | None:
    """Apply the changes and keep them, with the reason that was said; what was undone before can no longer be done again. None: nothing changed."""
    changes = [change for change in changes if change["before"] != change["after"]]
    if not changes:
        return None
    _apply(study, changes, "after")
    study.edits.filter(undone=True).delete()
    return Edit.objects.create(study=study, actor=actor, summary=summary[:200], why=why[:400], changes=changes)


def undo(study: Study, expected: int | None = None) -> Edit:
    """Take back the last edit that stands, as long as it is the one its sender means (None: whichever it is).

    Raises
    ------
    InputRefused
        When there is none.
    Overtaken
        When somebody edited, undid or did again meanwhile.

    """
    edit = study.edits.filter(undone=False).last()
    _same(edit, expected)
    if edit is None:
        raise refuse("edit.none", "", "There is nothing to undo.", "Every edit of this study is already undone.")
    _apply(study, edit.changes[::-1], "before")
    edit.undone = True
    edit.save(update_fields=["undone"])
    return edit


def redo(study: Study, expected: int | None = None) -> Edit:
    """Do the first undone edit again, under the same conditions."""
    edit = study.edits.filter(undone=True).first()
    _same(edit, expected)
    if edit is None:
        raise refuse("edit.none", "", "There is nothing to do again.", "Nothing was undone since the last edit.")
    _apply(study, edit.changes, "after")
    edit.undone = False
    edit.save(update_fields=["undone"])
    return edit


def _same(edit: Edit | None, expected: int | None) -> None:
    if expected is not None and (edit is None or edit.pk != expected):
        what = f"the last one now is '{edit.summary}' by {edit.actor.shown_name}" if edit else "there is none left"
        raise Overtaken(f"Somebody changed this study meanwhile: {what}. Look again, then undo.")


def _apply(study: Study, changes: list[Change], side: str) -> None:
    rows: dict[uuid.UUID, dict[str, Any]] = {}
    gone: list[str] = []
    for change in changes:
        fields = change["before"] if side == "before" else change["after"]
        if change["kind"] == "variant":
            # One that was taken out is brought back by undoing that.
            Variant.every.filter(study=study, pk=int(change["key"])).update(**(fields or {}))
        elif change["kind"] == "study":
            Study.objects.filter(pk=study.pk).update(**(fields or {}))
        elif fields is None:
            gone.append(change["key"])
        else:
            rows[uuid.UUID(change["key"])] = fields
    study.workloads.filter(key__in=gone).delete()
    # One statement for all rows: an import may bring thousands.
    Workload.objects.bulk_create(
        [Workload(key=key, study=study, **fields) for key, fields in rows.items()],
        update_conflicts=True,
        unique_fields=["key"],
        update_fields=list(FIELDS),
        batch_size=1000,
    )
