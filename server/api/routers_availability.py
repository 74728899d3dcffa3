"""The addresses of availability: look up, act, return."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router, Status

from api import present_availability as present
from api import schemas_availability as schemas
from api.session import user_of
from runs.availability import ways_of, world_of
from runs.queries import latest_answer
from studies.actions.state_promises import StatePromises
from studies.queries import study_by_id, variant_by_id

availability = Router()


@availability.get(
    "/variants/{variant_id}/availability", operation_id="getAvailability", response=schemas.AvailabilityOut
)
def get_availability(request: HttpRequest, variant_id: int) -> Any:
    """Say how long journeys and control plane are down over the variant's latest fit, and why."""
    return present.availability(variant_by_id(variant_id))


@availability.get("/variants/{variant_id}/ways", operation_id="getWays", response=list[schemas.Remedy])
def get_ways(request: HttpRequest, variant_id: int, journey: str) -> Any:
    """Say what would help one journey, each step computed anew."""
    variant = variant_by_id(variant_id)
    fit = latest_answer(variant)
    return [] if fit is None else present.improvements(ways_of(world_of(variant)[0], fit, journey), fit)


@availability.patch("/studies/{study_id}/promises", operation_id="statePromises", response={204: None})
def state_promises(request: HttpRequest, study_id: int, body: schemas.PromisesIn) -> Any:
    """State journeys, dependencies or failure figures."""
    fields = body.dict(exclude_unset=True, exclude_none=True)
    StatePromises(user_of(request), study_by_id(study_id), fields).run()
    return Status(204, None)
