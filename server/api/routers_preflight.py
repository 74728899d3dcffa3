"""What is done about findings of pre-flight."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router, Status

from api.schemas_supply import AcceptIn, FindingIn
from api.session import user_of
from runs.actions.accept_finding import AcceptFinding, ReopenFinding
from studies.queries import variant_by_id

preflight = Router()


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
