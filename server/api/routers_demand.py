"""The addresses of demand: look up, act, return."""

from __future__ import annotations

from typing import Annotated, Any, Literal
from uuid import UUID

from django.http import HttpRequest, HttpResponse
from ninja import File, Form, Query, Router, Status
from ninja.files import UploadedFile
from pydantic import Field

from api import present_demand as present
from api import present_usage
from api import schemas_demand as schemas
from api.download import download
from api.present_relations import shown_relations
from api.schemas import DeleteIn, StudyName, TakenOut
from api.schemas_relations import RelationsOut
from api.session import user_of
from handover.files import CSV, demand_file_name
from intake.actions.decide import DecideIntake
from intake.actions.hand_in import HandIn
from intake.forms import outlook_of, read_form, with_owner
from intake.models import IntakeStatus
from intake.queries import intake_by_id, intakes_for
from rombel.formats import Mapped, write_demand_csv
from rombel.usage import Definition, GrowthParams, SizingPolicy, Trend
from signing.actions.delete_study import DeleteUnsignedStudy
from studies.actions.change_study import ChangeStudy
from studies.actions.follow_usage import FollowUsage
from studies.actions.hand_text import HandText
from studies.actions.read_usage import ReadUsage
from studies.actions.size_requests import GiveBackRequests, SizeRequests
from studies.actions.stop_study_job import StopStudyJob
from studies.actions.take_demand import TakeDemand
from studies.actions.take_usage import TakeUsage
from studies.adapt import demand_rows
from studies.importing import Source, is_large, preview, read_source
from studies.queries import large_text, open_studies, study_by_id, variant_by_id, workload_by_key
from studies.sharing import seen_by, seen_study
from studies.usage import usage_set

demand, intake = Router(), Router()


def _source(body: schemas.ImportIn) -> Source:
    mapped = Mapped(body.mapped.columns, body.mapped.units, body.mapped.fixed)
    return Source(body.format, body.text, body.origin, mapped)


@demand.post(
    "/studies/{study_id}/readings",
    operation_id="previewImport",
    response={200: schemas.ReadingOut, 202: schemas.TextOut},
)
def preview_import(request: HttpRequest, study_id: int, body: schemas.ImportIn) -> Any:
    """Say what a text holds; nothing is stored. A large text is read by a worker: ask for it until it is done."""
    study, source = study_by_id(study_id), _source(body)
    if is_large(source):
        return Status(202, present.text(HandText(user_of(request), study, source).run()))
    return Status(200, preview(read_source(source), source, study))


@demand.post("/studies/{study_id}/imports", operation_id="takeImport", response={200: TakenOut, 202: schemas.TextOut})
def take_import(request: HttpRequest, study_id: int, body: schemas.ImportIn) -> Any:
    """Take a text's rows into the study: all of them or none. A large text is read by a worker."""
    study, source, user = study_by_id(study_id), _source(body), user_of(request)
    if is_large(source):
        handed = HandText(user, study, source, takes=True, remove_gone=body.remove_gone)
        return Status(202, present.text(handed.run()))
    return Status(200, {"rows": TakeDemand(user, study, source, body.remove_gone).run()})


@demand.get("/studies/{study_id}/texts/{text_id}", operation_id="getText", response=schemas.TextOut)
def get_text(request: HttpRequest, study_id: int, text_id: int) -> Any:
    """Say how far a large text is read, and what came of it."""
    return present.text(large_text(text_id, study_id))


@demand.post("/studies/{study_id}/texts/{text_id}/stop", operation_id="stopText", response={204: None})
def stop_text(request: HttpRequest, study_id: int, text_id: int) -> Any:
    """Stop reading a large text; nothing of it is taken."""
    StopStudyJob(user_of(request), large_text(text_id, study_id), study_by_id(study_id)).run()
    return Status(204, None)


@demand.get("/studies/{study_id}/demand.csv", operation_id="getDemandCsv", response=str)
def get_demand_csv(request: HttpRequest, study_id: int) -> HttpResponse:
    """Return the demand sheet as CSV; an import reads the same rows back."""
    study = study_by_id(study_id)
    return download(write_demand_csv(demand_rows(study)), CSV, demand_file_name(study))


@demand.get("/variants/{variant_id}/workloads/{key}", operation_id="getWorkload", response=schemas.WorkloadDetailOut)
def get_workload(request: HttpRequest, variant_id: int, key: UUID) -> Any:
    """Return everything known of one row."""
    variant = variant_by_id(variant_id)
    return present.detail(workload_by_key(variant.study, key), variant)


@demand.get("/variants/{variant_id}/workloads/{key}/relations", operation_id="getRelations", response=RelationsOut)
def get_relations(request: HttpRequest, variant_id: int, key: UUID) -> Any:
    """Say what hangs together with a workload, and what its loss takes along."""
    variant = variant_by_id(variant_id)
    return shown_relations(variant, workload_by_key(variant.study, key))


@demand.get("/studies/{study_id}/levels", operation_id="getLevels", response=schemas.LevelsOut)
def get_levels(request: HttpRequest, study_id: int) -> Any:
    """Return the demand at every level."""
    return present.levels(study_by_id(study_id))


@demand.patch("/studies/{study_id}", operation_id="changeStudy", response={204: None})
def change_study(request: HttpRequest, study_id: int, body: schemas.StudyChange) -> Any:
    """State growth, hour shares or planned events."""
    ChangeStudy(user_of(request), study_by_id(study_id), body.dict(exclude_unset=True)).run()
    return Status(204, None)


@demand.delete("/studies/{study_id}", operation_id="deleteStudy", response={204: None})
def delete_study(request: HttpRequest, study_id: int, body: DeleteIn) -> Any:
    """Delete a study; its name must be typed."""
    DeleteUnsignedStudy(user_of(request), study_by_id(study_id), body.name).run()
    return Status(204, None)


@demand.post("/studies/{study_id}/usage", operation_id="readUsage", response={201: schemas.UsageSetOut})
def read_usage(
    request: HttpRequest,
    study_id: int,
    file: Annotated[UploadedFile, File()],
    format: Annotated[Literal["csv", "range-query", "openmetrics"], Form()],
) -> Any:
    """Queue a file of measurements to be read; the study does not use it before it is taken."""
    study = study_by_id(study_id)
    made = ReadUsage(user_of(request), study, format, file.read(), file.name or "").run()
    return Status(201, present_usage.usage_set(made, study))


@demand.get("/studies/{study_id}/usage/{usage_id}", operation_id="getUsage", response=schemas.UsageSetOut)
def get_usage(request: HttpRequest, study_id: int, usage_id: int) -> Any:
    """Say how far measurements are read, and what they hold."""
    return present_usage.usage_set(usage_set(usage_id, study_id), study_by_id(study_id))


@demand.post("/studies/{study_id}/usage/{usage_id}/stop", operation_id="stopUsage", response={204: None})
def stop_usage(request: HttpRequest, study_id: int, usage_id: int) -> Any:
    """Stop reading; nothing is kept."""
    StopStudyJob(user_of(request), usage_set(usage_id, study_id), study_by_id(study_id)).run()
    return Status(204, None)


@demand.put("/studies/{study_id}/usage/{usage_id}", operation_id="takeUsage", response={204: None})
def take_usage(request: HttpRequest, study_id: int, usage_id: int) -> Any:
    """Make a set of series the study's own."""
    TakeUsage(user_of(request), study_by_id(study_id), usage_set(usage_id, study_id)).run()
    return Status(204, None)


@demand.get("/variants/{variant_id}/proposals", operation_id="getProposals", response=schemas.SizingOut)
def get_proposals(request: HttpRequest, variant_id: int, policy: Annotated[schemas.PolicyIn, Query()]) -> Any:
    """Propose requests for every measured workload."""
    return present_usage.sizing(variant_by_id(variant_id), _policy(policy))


def _policy(body: schemas.PolicyIn) -> SizingPolicy:
    margins = body.cpu_margin_percent, body.memory_margin_percent
    return SizingPolicy(body.cpu_percentile, Definition(body.definition), *margins)


@demand.post("/studies/{study_id}/requests", operation_id="takeProposals", response=schemas.ChangedOut)
def take_proposals(request: HttpRequest, study_id: int, body: schemas.SizeIn) -> Any:
    """Take the proposals of some rows, or of all."""
    keys = [str(key) for key in body.keys]
    return {"rows": SizeRequests(user_of(request), study_by_id(study_id), _policy(body), keys).run()}


@demand.post("/studies/{study_id}/requests/given-back", operation_id="giveBack", response=schemas.ChangedOut)
def give_back(request: HttpRequest, study_id: int, body: schemas.KeysIn) -> Any:
    """Give rows back the request they had before."""
    keys = [str(key) for key in body.keys]
    return {"rows": GiveBackRequests(user_of(request), study_by_id(study_id), keys).run()}


@demand.post("/studies/{study_id}/following", operation_id="followUsage", response=schemas.ChangedOut)
def follow_usage(request: HttpRequest, study_id: int, body: schemas.FollowIn) -> Any:
    """Let replicas or growth of rows follow from measured use."""
    params = GrowthParams(trend=Trend(body.trend), horizon_days=body.horizon_days)
    keys = [str(key) for key in body.keys]
    return {"rows": FollowUsage(user_of(request), study_by_id(study_id), body.what, keys, params).run()}


@demand.get("/studies/{study_id}/series", operation_id="getSeries", response=schemas.SeriesOut)
def get_series(request: HttpRequest, study_id: int, workload: str) -> Any:
    """Return one workload's use through time."""
    return present_usage.series(study_by_id(study_id), workload)


@demand.get("/variants/{variant_id}/growth", operation_id="getGrowth", response=schemas.DemandGrowthOut)
def get_growth(
    request: HttpRequest,
    variant_id: int,
    trend: schemas.Trend = "robust",
    horizon_days: Annotated[int, Field(ge=7, le=730)] = 120,
    workload: str = "",
) -> Any:
    """Say where demand is heading and when limits are met."""
    params = GrowthParams(trend=Trend(trend), horizon_days=horizon_days)
    return present_usage.growth(variant_by_id(variant_id), params, workload)


@demand.get("/variants/{variant_id}/running", operation_id="getRunning", response=schemas.RunningOut | None)
def get_running(request: HttpRequest, variant_id: int) -> Any:
    """Return what runs now beside the fit."""
    return present.running(variant_by_id(variant_id))


@intake.get("", operation_id="listIntakes", response=list[schemas.IntakeOut])
def list_intakes(request: HttpRequest) -> Any:
    """List requests for capacity: owners see their own."""
    user = user_of(request)
    return present.intakes(intakes_for(user), user)


@intake.get("/studies", operation_id="listIntakeStudies", response=list[StudyName])
def list_intake_studies(request: HttpRequest) -> Any:
    """List the names of the studies that capacity can be asked of."""
    studies = open_studies().filter(pk__in=seen_by(user_of(request)).values("pk"))
    return [{"id": row.pk, "name": row.name} for row in studies]


@intake.post("/outlooks", operation_id="previewIntake", response=schemas.IntakeOutlookOut)
def preview_intake(request: HttpRequest, body: schemas.IntakeIn) -> Any:
    """Say what a form would add to the bill; nothing is stored."""
    study = seen_study(body.study_id, user_of(request))
    form = read_form(with_owner(dict(body.typed), user_of(request)))
    return outlook_of(form, study).stored(study.currency)


@intake.post("", operation_id="handInIntake", response={201: schemas.IntakeOut})
def hand_in(request: HttpRequest, body: schemas.IntakeIn) -> Any:
    """Hand in a request for capacity."""
    user = user_of(request)
    made = HandIn(user, seen_study(body.study_id, user), dict(body.typed), body.note).run()
    return Status(201, present.intake(made, user))


@intake.post("/{intake_id}/decisions", operation_id="decideIntake", response=schemas.IntakeOut)
def decide_intake(request: HttpRequest, intake_id: int, body: schemas.DecisionIn) -> Any:
    """Take a request, answer it, or withdraw it."""
    user = user_of(request)
    DecideIntake(user, intake_by_id(intake_id, user), IntakeStatus(body.status), body.words).run()
    return present.intake(intake_by_id(intake_id, user), user)
