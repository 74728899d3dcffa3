"""The addresses of rehearsals: look up, act, return."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Status

from api import schemas_rehearsal as schemas
from api.download import download
from api.routers_inquiry import shown
from api.schemas_inquiry import InquiryOut
from api.session import user_of
from handover.files import RehearsalFile, rehearsal_file
from runs.queries import inquiry_by_id
from runs.rehearsals import limits_in_force, moment, rehearsal_runs
from studies.actions.keep_limits import KeepLimits
from studies.actions.keep_rehearsal import KeepRehearsal
from studies.queries import study_by_id, variant_by_id
from studies.scenario import stored_scenario

rehearsals = Router()


@rehearsals.get("/studies/{study_id}/rehearsal", operation_id="getRehearsal", response=schemas.ScenarioOut)
def get_rehearsal(request: HttpRequest, study_id: int) -> Any:
    """Return what a study rehearses, or what is usual where nothing was stated."""
    return stored_scenario(study_by_id(study_id))


@rehearsals.put("/studies/{study_id}/rehearsal", operation_id="keepRehearsal", response={204: None})
def keep_rehearsal(request: HttpRequest, study_id: int, body: schemas.ScenarioIn) -> Any:
    """Keep what a study rehearses."""
    KeepRehearsal(user_of(request), study_by_id(study_id), body.plain()).run()
    return Status(204, None)


@rehearsals.get("/variants/{variant_id}/pool-limits", operation_id="getPoolLimits", response=schemas.StatedLimitsOut)
def get_pool_limits(request: HttpRequest, variant_id: int) -> Any:
    """Return the autoscaling limits that hold for a variant."""
    return limits_in_force(variant_by_id(variant_id))


@rehearsals.put("/variants/{variant_id}/pool-limits", operation_id="keepPoolLimits", response={204: None})
def keep_pool_limits(request: HttpRequest, variant_id: int, body: schemas.StatedLimitsIn) -> Any:
    """Keep autoscaling limits with a variant."""
    KeepLimits(user_of(request), variant_by_id(variant_id), [entry.model_dump() for entry in body.limits]).run()
    return Status(204, None)


@rehearsals.get(
    "/variants/{variant_id}/rehearsals", operation_id="getRehearsals", response=list[schemas.RehearsalRunOut]
)
def get_rehearsals(request: HttpRequest, variant_id: int) -> Any:
    """Return the newest rehearsals of a variant, the newest first."""
    return rehearsal_runs(variant_by_id(variant_id))


@rehearsals.get("/inquiries/{inquiry_id}", operation_id="getInquiry", response=InquiryOut)
def get_inquiry(request: HttpRequest, inquiry_id: int) -> Any:
    """Return an inquiry."""
    return shown(inquiry_by_id(inquiry_id))


@rehearsals.get("/inquiries/{inquiry_id}/rehearsal-files/{name}", operation_id="getRehearsalFile", response=str)
def get_rehearsal_file(request: HttpRequest, inquiry_id: int, name: RehearsalFile) -> HttpResponse:
    """Return a file with which a rehearsal is played again anywhere."""
    return download(*rehearsal_file(inquiry_by_id(inquiry_id), name))


@rehearsals.get("/inquiries/{inquiry_id}/moment", operation_id="getMoment", response=schemas.StandingOut)
def get_moment(request: HttpRequest, inquiry_id: int, at_s: int) -> Any:
    """Return what stands at a moment of a rehearsal's first seed, seconds from its start."""
    return moment(inquiry_by_id(inquiry_id), at_s)
