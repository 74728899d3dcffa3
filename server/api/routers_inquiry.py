"""The addresses of inquiries: look up, act, return."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Status

from api import present
from api import schemas_inquiry as schemas
from api.download import download
from api.schemas import FitOut, LevelName
from api.schemas_drills import DrillOut, DrillPlayOut, DrillsIn
from api.session import user_of
from handover.files import limits_file
from jobs.waiting import place_of
from runs.actions.ask import Ask
from runs.answers import drill_played, level_fit
from runs.inputs import inputs_of
from runs.models import Inquiry, Question
from runs.queries import inquiry_by_id, latest_inquiry
from runs.questions import QUESTIONS, CostOfChange
from studies.actions.keep_drills import KeepDrills
from studies.actions.stop_study_job import StopStudyJob
from studies.queries import study_by_id, variant_by_id

inquiries = Router()


def shown(row: Inquiry) -> dict[str, Any]:
    """Return an inquiry with the part that belongs to its question."""
    names = ("question", "status", "phase", "share", "stop_requested", "message", "fit_id")
    known: dict[str, Any] = dict.fromkeys(Question.values)
    kind = QUESTIONS[Question(row.question)]
    answer = kind.answer_of(row)
    known[row.question] = None if answer is None else kind.shown(answer)
    current = row.inputs == inputs_of(row.variant)
    if row.question == Question.DRILLS:
        current = current and row.given.get("own") == row.variant.study.drills
    if row.question == Question.STEPS:
        current = current and row.given.get("listing") == row.variant.study.running_id
    told = {name: getattr(row, name) for name in names}
    return {"id": row.pk, "is_current": current, **place_of(row.job), **told, **known}


@inquiries.post("/variants/{variant_id}/inquiries", operation_id="ask", response={201: schemas.InquiryOut})
def ask(request: HttpRequest, variant_id: int, body: schemas.QuestionIn) -> Any:
    """Ask a question of a variant in the background."""
    cost_of_change = CostOfChange(body.per_move, body.per_node)
    return Status(
        201, shown(Ask(user_of(request), variant_by_id(variant_id), Question(body.question), cost_of_change).run())
    )


@inquiries.get(
    "/variants/{variant_id}/inquiries/{question}", operation_id="getAnswer", response=schemas.InquiryOut | None
)
def get_answer(request: HttpRequest, variant_id: int, question: schemas.Question) -> Any:
    """Return the newest inquiry of a question; nothing where it was never asked."""
    row = latest_inquiry(variant_by_id(variant_id), question)
    return shown(row) if row else None


@inquiries.post("/inquiries/{inquiry_id}/stop", operation_id="stopInquiry", response=schemas.InquiryOut)
def stop_inquiry(request: HttpRequest, inquiry_id: int) -> Any:
    """Stop an inquiry and keep what is known so far."""
    row = inquiry_by_id(inquiry_id)
    StopStudyJob(user_of(request), row, row.variant.study).run()
    return shown(row)


@inquiries.get("/inquiries/{inquiry_id}/drills/{number}", operation_id="getDrill", response=DrillPlayOut)
def get_drill(request: HttpRequest, inquiry_id: int, number: int) -> Any:
    """Return everything that happened in one drill of a book that was played."""
    return drill_played(inquiry_by_id(inquiry_id), number)


@inquiries.put("/studies/{study_id}/drills", operation_id="keepDrills", response={204: None})
def keep_drills(request: HttpRequest, study_id: int, body: DrillsIn) -> Any:
    """Keep these drills of one's own with a study, in place of those that it has."""
    KeepDrills(user_of(request), study_by_id(study_id), [drill.plain() for drill in body.drills]).run()
    return Status(204, None)


@inquiries.get("/studies/{study_id}/drills", operation_id="getDrills", response=list[DrillOut])
def get_drills(request: HttpRequest, study_id: int) -> Any:
    """Return the drills of one's own that are kept with a study."""
    return study_by_id(study_id).drills


@inquiries.get("/inquiries/{inquiry_id}/limits.csv", operation_id="getLimits", response=str)
def get_limits(request: HttpRequest, inquiry_id: int) -> HttpResponse:
    """Return the autoscaling limits of a design as CSV."""
    return download(*limits_file(inquiry_by_id(inquiry_id)))


@inquiries.get("/inquiries/{inquiry_id}/levels/{level}", operation_id="getLevelFit", response=FitOut)
def get_level_fit(request: HttpRequest, inquiry_id: int, level: LevelName) -> Any:
    """Return the fit of one level of a design."""
    row = inquiry_by_id(inquiry_id)
    return present.fit(level_fit(row, level), row.variant.study.workloads.all())
