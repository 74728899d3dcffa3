"""The addresses of a study through time: look up, act, return."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Status

from api import schemas_history as schemas
from api.download import download
from api.present import variant_ref
from api.schemas import VariantRef
from api.session import user_of
from handover.trail import trail_csv
from studies.actions.note_revision import NoteRevision
from studies.actions.restore_revision import RestoreRevision
from studies.queries import study_by_id, variant_of_study
from studies.revisions import differences, revisions_of

history = Router()


@history.get("/studies/{study_id}/revisions", operation_id="listRevisions", response=schemas.RevisionsOut)
def list_revisions(request: HttpRequest, study_id: int, asked: Query[schemas.RevisionsQuery]) -> Any:
    """List a page of a study's edits, the newest first."""
    study = study_by_id(study_id)
    names = ("at", "summary", "why", "undone")
    return {
        "study_id": study.pk,
        "study_name": study.name,
        "began_at": study.created_at,
        "began_by": study.created_by.shown_name,
        "total": study.edits.count(),
        "variants": [variant_ref(entry) for entry in study.variants.all()],
        "revisions": [
            {"id": row.pk, "actor": row.actor.shown_name, **{name: getattr(row, name) for name in names}}
            for row in revisions_of(study, asked.before, asked.count)
        ],
    }


@history.get(
    "/studies/{study_id}/revisions/compared", operation_id="compareRevisions", response=list[schemas.DifferenceOut]
)
def compare_revisions(request: HttpRequest, study_id: int, asked: Query[schemas.RevisionsBetween]) -> Any:
    """Return what differs between two revisions, field by field."""
    return [asdict(each) for each in differences(study_by_id(study_id), asked.first, asked.last)]


@history.patch("/studies/{study_id}/revisions/{revision}", operation_id="noteRevision", response={204: None})
def note_revision(request: HttpRequest, study_id: int, revision: int, body: schemas.RevisionNoteIn) -> Any:
    """Say why an edit was made."""
    NoteRevision(user_of(request), study_by_id(study_id), revision, body.why).run()
    return Status(204, None)


@history.post(
    "/studies/{study_id}/revisions/{revision}/restored", operation_id="restoreRevision", response={201: VariantRef}
)
def restore_revision(request: HttpRequest, study_id: int, revision: int, body: schemas.RestoreIn) -> Any:
    """Make a variant with the choices that one had at a revision."""
    source = variant_of_study(body.variant_id, study_by_id(study_id))
    made = RestoreRevision(user_of(request), source, body.name, number=revision, demand=body.demand).run()
    return Status(201, variant_ref(made))


@history.get("/studies/{study_id}/trail.csv", operation_id="getTrailFile", response=str)
def get_trail_file(request: HttpRequest, study_id: int) -> HttpResponse:
    """Return every mutation of a study and its variants as CSV, oldest first."""
    return download(*trail_csv(study_by_id(study_id)))
