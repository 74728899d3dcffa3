"""The addresses of sign-offs and of what people are told: look up, act, return."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Status

from api import schemas_signing as schemas
from api.download import nonce_of, shown_page
from api.present_signing import shown_draft, shown_inbox, shown_line, shown_sign_off, shown_sign_offs
from api.session import user_of
from handover.brief import brief_html, of_draft, of_sign_off
from inbox.actions.read_notices import ReadNotices
from inbox.queries import inbox_of
from signing.actions.hand_in_plan import HandInPlan
from signing.actions.of_sign_off import ReturnPlan, SignPlan, WithdrawPlan
from signing.freezing import draft_of
from signing.queries import sign_off_by_id, sign_offs_of
from studies.queries import study_by_id, variant_by_id

signing, inbox = Router(), Router()


@signing.get("/studies/{study_id}/sign-offs", operation_id="listSignOffs", response=schemas.SignOffsOut)
def list_sign_offs(request: HttpRequest, study_id: int) -> Any:
    """List a study's plans that were handed in, and say what differs since one was signed."""
    study = study_by_id(study_id)
    return shown_sign_offs(study, sign_offs_of(study))


@signing.get("/sign-offs/{sign_off_id}", operation_id="getSignOff", response=schemas.SignOffOut)
def get_sign_off(request: HttpRequest, sign_off_id: int) -> Any:
    """Return a plan that was handed in at the figures that were seen, and what differs since."""
    return shown_sign_off(sign_off_by_id(sign_off_id), user_of(request))


@signing.get("/variants/{variant_id}/hand-in", operation_id="getHandIn", response=schemas.DraftOut)
def get_hand_in(request: HttpRequest, variant_id: int) -> Any:
    """Return what would be handed in of a variant, and what keeps it from being so."""
    return shown_draft(draft_of(variant_by_id(variant_id)))


@signing.post("/variants/{variant_id}/sign-offs", operation_id="handInPlan", response={201: schemas.SignOffLine})
def hand_in_plan(request: HttpRequest, variant_id: int, body: schemas.HandInPlanIn) -> Any:
    """Hand a variant's newest plan in, at the figures that were seen."""
    made = HandInPlan(user_of(request), variant_by_id(variant_id), body.digest, body.words).run()
    return Status(201, shown_line(sign_off_by_id(made.pk)))


@signing.post("/sign-offs/{sign_off_id}/signatures", operation_id="signPlan", response={204: None})
def sign_plan(request: HttpRequest, sign_off_id: int, body: schemas.SayIn) -> Any:
    """Sign a plan; a lead who did not hand it in may."""
    SignPlan(user_of(request), sign_off_by_id(sign_off_id), body.digest, body.words).run()
    return Status(204, None)


@signing.post("/sign-offs/{sign_off_id}/returns", operation_id="returnPlan", response={204: None})
def return_plan(request: HttpRequest, sign_off_id: int, body: schemas.SayIn) -> Any:
    """Return a plan with words."""
    ReturnPlan(user_of(request), sign_off_by_id(sign_off_id), body.digest, body.words).run()
    return Status(204, None)


@signing.post("/sign-offs/{sign_off_id}/withdrawals", operation_id="withdrawPlan", response={204: None})
def withdraw_plan(request: HttpRequest, sign_off_id: int, body: schemas.SayIn) -> Any:
    """Take a plan back that waits."""
    WithdrawPlan(user_of(request), sign_off_by_id(sign_off_id), body.digest, body.words).run()
    return Status(204, None)


@signing.get("/sign-offs/{sign_off_id}/brief.html", operation_id="getBrief", response=str)
def get_brief(request: HttpRequest, sign_off_id: int) -> HttpResponse:
    """Return a plan that was handed in on one page, to be printed or kept as a file."""
    return shown_page(*brief_html(of_sign_off(sign_off_by_id(sign_off_id)), nonce_of(request)))


@signing.get("/variants/{variant_id}/brief.html", operation_id="getDraftBrief", response=str)
def get_draft_brief(request: HttpRequest, variant_id: int) -> HttpResponse:
    """Return the newest plan of a variant on one page, as it would be handed in."""
    return shown_page(*brief_html(of_draft(draft_of(variant_by_id(variant_id))), nonce_of(request)))


@inbox.get("", operation_id="getInbox", response=schemas.InboxOut)
def get_inbox(request: HttpRequest) -> Any:
    """Return what the person was told, newest first."""
    return shown_inbox(inbox_of(user_of(request)))


@inbox.post("/read", operation_id="readNotices", response={204: None})
def read_notices(request: HttpRequest, body: schemas.ReadIn) -> Any:
    """Mark what the person was told up to a notice as read."""
    ReadNotices(user_of(request), body.up_to).run()
    return Status(204, None)
