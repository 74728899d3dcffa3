"""What must exist before a build, and what is done about findings of pre-flight."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router, Status
from ninja.decorators import decorate_view

from api.kept import by_version
from api.schemas_supply import AcceptIn, FindingIn, PrerequisiteOut
from api.session import user_of
from rombel.preflight import prerequisites
from runs.actions.accept_finding import AcceptFinding, ReopenFinding
from runs.findings import Occasion, situation_of
from runs.queries import latest_fit
from studies.queries import variant_by_id

preflight = Router()


@preflight.get(
    "/variants/{variant_id}/prerequisites",
    operation_id="getPrerequisites",
    response={200: list[PrerequisiteOut], 304: None},
)
@decorate_view(by_version)
def get_prerequisites(request: HttpRequest, variant_id: int) -> Any:
    """Return what must exist before the build, in the order in which it is needed."""
    variant = variant_by_id(variant_id)
    said = variant.build.get("done", {})
    return [
        {"code": each.code, "what": each.what, "why": each.why, "owner": "", "done": False, **said.get(each.code, {})}
        for each in prerequisites(situation_of(Occasion(variant, latest_fit(variant))))
    ]


@preflight.post("/variants/{variant_id}/findings/accepted", operation_id="acceptFinding", response={204: None})
def accept_finding(request: HttpRequest, variant_id: int, body: AcceptIn) -> Any:
    """Keep that a care or a note is accepted, with a reason."""
    AcceptFinding(user_of(request), variant_by_id(variant_id), body.code, body.text, body.why).run()
    return Status(204, None)


@preflight.post("/variants/{variant_id}/findings/reopened", operation_id="reopenFinding", response={204: None})
def reopen_finding(request: HttpRequest, variant_id: int, body: FindingIn) -> Any:
    """Take an acceptance back."""
    ReopenFinding(user_of(request), variant_by_id(variant_id), body.code, body.text).run()
    return Status(204, None)
