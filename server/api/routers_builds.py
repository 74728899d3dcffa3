"""The addresses of change lists, builds and what runs against the plan: look up, act, return."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest
from ninja import Router, Status

from api import schemas_builds as schemas
from api.present_builds import shown_build, shown_build_line, shown_changes, shown_drift
from api.session import user_of
from builds.actions.answer_drift import AnswerDrift
from builds.actions.start_build import StartBuild
from builds.actions.steer_build import FollowBuild, SteerBuild, TickStep
from builds.actions.take_listing import FetchListing, TakeListing
from builds.drift import told_drift
from builds.listed import Asked, to_do
from builds.models import Goal, Wish
from builds.queries import build_by_id, builds_of
from studies.queries import study_by_id, variant_by_id

builds = Router()


@builds.get("/variants/{variant_id}/to-do", operation_id="getBuildChanges", response=schemas.ChangesOut)
def get_build_changes(
    request: HttpRequest,
    variant_id: int,
    goal: schemas.Goal = "plan",
    version: schemas.Version = "",
    volumes: bool = False,
) -> Any:
    """Say what is done from what stands to the newest plan, to another version, to new nodes, or until nothing stands."""
    return shown_changes(to_do(variant_by_id(variant_id), Asked(Goal(goal), version, volumes)))


@builds.post("/variants/{variant_id}/builds", operation_id="startBuild", response={201: schemas.BuildLineOut})
def start_build(request: HttpRequest, variant_id: int, body: schemas.StartBuildIn) -> Any:
    """Ask the provider to work off the change list that was seen."""
    asked = Asked(Goal(body.goal), body.version, body.volumes)
    action = StartBuild(user_of(request), variant_by_id(variant_id), body.digest, body.why, asked, body.typed)
    return Status(201, shown_build_line(build_by_id(action.run().pk)))


@builds.get("/studies/{study_id}/builds", operation_id="listBuilds", response=list[schemas.BuildLineOut])
def list_builds(request: HttpRequest, study_id: int) -> Any:
    """List a study's builds, the newest first."""
    return [shown_build_line(row) for row in builds_of(study_by_id(study_id))]


@builds.get("/builds/{build_id}", operation_id="getBuild", response=schemas.BuildOut)
def get_build(request: HttpRequest, build_id: int) -> Any:
    """Say how a build stands, part by part, and what came of it."""
    return shown_build(build_by_id(build_id))


@builds.post("/builds/{build_id}/wishes", operation_id="steerBuild", response={204: None})
def steer_build(request: HttpRequest, build_id: int, body: schemas.WishIn) -> Any:
    """Pause a build, let it go on, try again what is stuck, or take back what it made."""
    SteerBuild(user_of(request), build_by_id(build_id), Wish(body.wish)).run()
    return Status(204, None)


@builds.post("/builds/{build_id}/ticks", operation_id="tickStep", response={204: None})
def tick_step(request: HttpRequest, build_id: int, body: schemas.TickIn) -> Any:
    """Tick a step that is done outside of a build, or take the tick off."""
    TickStep(user_of(request), build_by_id(build_id), body.place, body.done).run()
    return Status(204, None)


@builds.post("/builds/{build_id}/follow", operation_id="followBuild", response={204: None})
def follow_build(request: HttpRequest, build_id: int) -> Any:
    """Follow a build again whose service was out of reach."""
    FollowBuild(user_of(request), build_by_id(build_id)).run()
    return Status(204, None)


@builds.get("/variants/{variant_id}/drift", operation_id="getDrift", response=schemas.RunsAgainstPlanOut | None)
def get_drift(request: HttpRequest, variant_id: int) -> Any:
    """Compare what runs with the signed plan, or the newest where none is signed."""
    return shown_drift(told_drift(variant_by_id(variant_id)))


@builds.post("/variants/{variant_id}/drift/answers", operation_id="answerDrift", response={204: None})
def answer_drift(request: HttpRequest, variant_id: int, body: schemas.DriftAnswerIn) -> Any:
    """Say that the plan is right, or write what runs into the demand."""
    own = (body.kind, body.where, body.planned, body.actual)
    AnswerDrift(user_of(request), variant_by_id(variant_id), *own, body.right == "cluster").run()
    return Status(204, None)


@builds.post("/studies/{study_id}/listings", operation_id="takeListing", response={201: schemas.ListedOut})
def take_listing(request: HttpRequest, study_id: int, body: schemas.ListingIn) -> Any:
    """Take a listing as what runs; the demand stays as it is."""
    made = TakeListing(user_of(request), study_by_id(study_id), body.text, body.origin).run()
    return Status(201, {"nodes": made.nodes})


@builds.post("/studies/{study_id}/listings/fetched", operation_id="fetchListing", response={201: schemas.ListedOut})
def fetch_listing(request: HttpRequest, study_id: int) -> Any:
    """Ask the service that built the study's cluster for its listing, and take it as what runs."""
    made = FetchListing(user_of(request), study_by_id(study_id)).run()
    return Status(201, {"nodes": made.nodes})
