"""The addresses of whoever runs the installation: look up, return."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import HttpRequest
from ninja import Router, Status

from accounts.action import NotAllowed
from accounts.models import Role
from api.schemas_operations import OperationsOut
from api.session import user_of
from jobs.actions.begin_again import BeginAgain
from jobs.operations import operations as standing
from runs.thinning import kept_now

operations = Router()


@operations.get("", operation_id="getOperations", response=OperationsOut)
def get_operations(request: HttpRequest) -> Any:
    """Say how the installation stands; to leads alone, as it names what everybody works on."""
    if user_of(request).role != Role.LEAD:
        raise NotAllowed("Only a lead sees how the installation stands.")
    return {**asdict(standing()), "kept": asdict(kept_now())}


@operations.post("/jobs/{job_id}/again", operation_id="beginJobAgain", response={204: None})
def begin_job_again(request: HttpRequest, job_id: int) -> Any:
    """Begin a failed job again."""
    BeginAgain(user_of(request), job_id).run()
    return Status(204, None)
