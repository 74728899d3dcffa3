"""The addresses of starters, and of studies made from them."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router, Status

from api import present, schemas
from api.present_starters import shown_starter, shown_starters, shown_trial, shown_use
from api.schemas_starters import (
    ArrangeStarterIn,
    FillIn,
    StarterIn,
    StarterOut,
    StartersOut,
    StarterTrialOut,
    StarterUseOut,
    StarterVersionIn,
)
from api.session import user_of
from rombel.starters import Answers
from runs.actions.start_run import StartRun
from starters.actions.fill_starter import Asked, make_of
from starters.actions.keep_starter import ArrangeStarter, SaveStarter, SaveVersion
from starters.models import StarterVersion
from starters.queries import newest, starter_by_id, use_of
from starters.trying import trial
from studies.models import StudyRole
from studies.queries import study_by_id, variant_by_id
from studies.sharing import demand_role

starters = Router()


@starters.get("/starters", operation_id="listStarters", response=StartersOut)
def list_starters(request: HttpRequest) -> Any:
    """List the starters of the house."""
    return {"starters": shown_starters(user_of(request))}


@starters.post("/starters", operation_id="saveStarter", response={201: StarterOut})
def save_starter(request: HttpRequest, body: StarterIn) -> Any:
    """Save a variant and its study as a starter."""
    user, variant = user_of(request), variant_by_id(body.variant_id)
    demand_role(variant.study, user, StudyRole.READER)
    return Status(201, shown_starter(SaveStarter(user, variant, body.name, body.note).run(), user))


@starters.get("/starters/{starter_id}", operation_id="getStarter", response=StarterOut)
def get_starter(request: HttpRequest, starter_id: int) -> Any:
    """Return a starter in its newest version, with what it asks for."""
    return shown_starter(starter_by_id(starter_id), user_of(request))


@starters.patch("/starters/{starter_id}", operation_id="arrangeStarter", response={204: None})
def arrange_starter(request: HttpRequest, starter_id: int, body: ArrangeStarterIn) -> Any:
    """Set name or note of a starter, or put it away."""
    ArrangeStarter(user_of(request), starter_by_id(starter_id), body.dict(exclude_unset=True)).run()
    return Status(204, None)


@starters.post("/starters/{starter_id}/versions", operation_id="saveStarterVersion", response={201: StarterOut})
def save_version(request: HttpRequest, starter_id: int, body: StarterVersionIn) -> Any:
    """Save a next version of a starter."""
    user, variant = user_of(request), None if body.variant_id is None else variant_by_id(body.variant_id)
    if variant is not None:
        demand_role(variant.study, user, StudyRole.READER)
    blanks = body.blanks.dict()
    made = SaveVersion(user, starter_by_id(starter_id), body.after, blanks, body.why, variant).run()
    return Status(201, shown_starter(made, user))


@starters.post("/starters/{starter_id}/trials", operation_id="tryStarter", response=StarterTrialOut)
def try_starter(request: HttpRequest, starter_id: int, body: FillIn) -> Any:
    """Say what a starter would make of answers, with a quick plan; nothing is stored."""
    return shown_trial(trial(user_of(request), _version(starter_id), _asked(body)))


@starters.post("/starters/{starter_id}/studies", operation_id="useStarter", response={201: schemas.StudyOut})
def use_starter(request: HttpRequest, starter_id: int, body: FillIn) -> Any:
    """Make a study of a starter, and fit it."""
    user = user_of(request)
    study = make_of(user, _version(starter_id), _asked(body)).run()
    StartRun(user, variant_by_id(study.variants.get().pk)).run()
    return Status(201, present.study(study))


@starters.get("/studies/{study_id}/starter", operation_id="getStarterUse", response=StarterUseOut | None)
def get_starter_use(request: HttpRequest, study_id: int) -> Any:
    """Say from which starter a study was made, and what a newer version would change."""
    use = use_of(study_by_id(study_id))
    return None if use is None else shown_use(use)


def _version(starter_id: int) -> StarterVersion:
    return newest(starter_by_id(starter_id))


def _asked(body: FillIn) -> Asked:
    answers = Answers(body.size, body.inputs, body.survive_zone, body.targets)
    return Asked(body.name.strip(), body.region_id, tuple(body.zones), answers)
