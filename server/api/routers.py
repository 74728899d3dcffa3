"""The addresses of the API: look up, act, return."""

from __future__ import annotations

from typing import Any

from django.contrib.auth import authenticate, logout, update_session_auth_hash
from django.http import HttpRequest, HttpResponse
from ninja import Query, Router, Status
from ninja.decorators import decorate_view
from ninja.errors import HttpError
from ninja.security import SessionAuth

from accounts import throttle
from accounts.action import Missing
from accounts.actions.change_password import ChangePassword
from accounts.sessions import end, moved
from api import (
    present,
    problems,
    routers_addresses,
    routers_availability,
    routers_builds,
    routers_comparison,
    routers_demand,
    routers_history,
    routers_inquiry,
    routers_ledger,
    routers_operations,
    routers_people,
    routers_preflight,
    routers_rehearsal,
    routers_search,
    routers_sharing,
    routers_signing,
    routers_starters,
    routers_supply,
    routers_sweeps,
    schemas,
    schemas_studies,
    schemas_supply,
)
from api.bearer import TokenAuth
from api.contract import RombelAPI
from api.download import download
from api.kept import by_version
from api.schemas_session import PasswordIn, PersonOut, SignIn
from api.session import address_of, enter, key_of, unhurried, user_of
from api.strict import StrictParser, StrictRenderer
from api.study_file import read_study_text
from api.visible import seen_variant
from handover.actions.import_study import ImportStudy
from handover.bundle import BundleFile, bundle_file, bundle_of
from handover.files import HandoverFile, handover_file
from handover.study_file import study_file
from rombel.formats import schema_text
from runs.actions.copy_variant import CopyVariant
from runs.actions.start_run import StartRun
from runs.listing import known_tags, study_lines
from runs.queries import fit_by_id, run_by_id
from studies.actions.arrange_study import ArrangeStudy
from studies.actions.arrange_variant import ArrangeVariant, RemoveVariant
from studies.actions.change_variant import ChangeVariant
from studies.actions.create_study import CreateStudy
from studies.actions.edit_demand import EditDemand
from studies.actions.step_edits import StepEdits
from studies.actions.stop_study_job import StopStudyJob
from studies.actions.take_over_change import TakeOverChange
from studies.queries import study_by_id, trail_of, variant_by_id
from studies.sharing import seen_by

api = RombelAPI(
    title="Rombel",
    version="1",
    description="Studies, demand, fits and handover files. Errors are problem documents (RFC 9457).",
    auth=[TokenAuth(), SessionAuth(csrf=True)],
    docs_url=None,
    parser=StrictParser(),
    renderer=StrictRenderer(),
)
problems.register(api)
sessions, studies, runs = Router(), Router(), Router()


@sessions.post("", auth=None, operation_id="signIn", response={200: PersonOut, 401: schemas.ProblemOut})
def sign_in(request: HttpRequest, body: SignIn) -> Any:
    """Sign in with name and password."""
    unhurried(request, sign_in, body.username, ", then sign in")
    user = authenticate(request, username=body.username, password=body.password)
    if user is None:
        throttle.failed(body.username, address_of(request))
        raise HttpError(401, "Name and password do not belong together.")
    throttle.succeeded(body.username)
    enter(request, user)
    return present.person(user)


@sessions.get("", operation_id="whoAmI", response=PersonOut)
def who_am_i(request: HttpRequest) -> Any:
    """Say who is signed in."""
    return present.person(user_of(request))


@sessions.post("/password", operation_id="changePassword", response={204: None})
def change_password(request: HttpRequest, body: PasswordIn) -> Any:
    """Change one's own password; this session goes on, every other one ends."""
    person = ChangePassword(user_of(request), body.old, body.new, address_of(request)).run()
    before = key_of(request)
    update_session_auth_hash(request, person)
    moved(before, key_of(request))
    end(person, but=key_of(request))
    return Status(204, None)


@sessions.delete("", operation_id="signOut", response={204: None})
def sign_out(request: HttpRequest) -> Any:
    """End the session."""
    logout(request)
    return Status(204, None)


@studies.get("/studies", operation_id="listStudies", response=schemas_studies.StudiesOut)
def list_studies(request: HttpRequest, asked: Query[schemas_studies.StudiesQuery]) -> Any:
    """List a page of the studies that hold a text or have a tag, in an order."""
    person = user_of(request)
    there = seen_by(person)
    lines = study_lines(there, find=asked.find, tag=asked.tag, archived=asked.archived, order=asked.order)
    page = lines[asked.first : asked.first + asked.count]
    return {"studies": present.study_page(page, person), "total": len(lines), "tags": known_tags(there)}


@studies.patch("/studies/{study_id}/arrangement", operation_id="arrangeStudy", response={204: None})
def arrange_study(request: HttpRequest, study_id: int, body: schemas_studies.ArrangeStudyIn) -> Any:
    """Set name or tags of a study, or put it away."""
    ArrangeStudy(user_of(request), study_by_id(study_id), body.dict(exclude_unset=True)).run()
    return Status(204, None)


@studies.post("/studies", operation_id="createStudy", response={201: schemas.StudyOut})
def create_study(request: HttpRequest, body: schemas.StudyIn) -> Any:
    """Create an empty study."""
    return Status(201, present.study(CreateStudy(user_of(request), body.name, body.organisation).run()))


@studies.get("/studies/{study_id}/file.json", operation_id="getStudyFile", response=str)
def get_study_file(request: HttpRequest, study_id: int) -> HttpResponse:
    """Return a study whole as one file, to be opened anywhere."""
    return download(*study_file(study_by_id(study_id), user_of(request)))


@studies.post("/study-files", operation_id="importStudy", response={201: schemas.StudyOut})
def import_study(request: HttpRequest, body: schemas_studies.StudyFileIn) -> Any:
    """Make a study of a file, whole or not at all."""
    return Status(201, present.study(ImportStudy(user_of(request), read_study_text(body.text), body.name).run()))


@studies.get("/study-file.schema.json", operation_id="getStudyFileSchema", response=str)
def get_study_file_schema(request: HttpRequest) -> HttpResponse:
    """Return the schema of a study's file."""
    return download(schema_text("study-1"), "application/schema+json", "study.schema.json")


@studies.delete("/variants/{variant_id}", operation_id="removeVariant", response={204: None})
def remove_variant(request: HttpRequest, variant_id: int) -> Any:
    """Take a variant that is not the reference out of its study; undo brings it back."""
    RemoveVariant(user_of(request), variant_by_id(variant_id)).run()
    return Status(204, None)


@studies.patch("/variants/{variant_id}/arrangement", operation_id="arrangeVariant", response={204: None})
def arrange_variant(request: HttpRequest, variant_id: int, body: schemas.ArrangeIn) -> Any:
    """Set name, note or place of a variant, or make it the reference."""
    ArrangeVariant(user_of(request), variant_by_id(variant_id), body.dict(exclude_unset=True)).run()
    return Status(204, None)


@studies.post("/variants/{variant_id}/changes", operation_id="takeOverChange", response={204: None})
def take_over_change(request: HttpRequest, variant_id: int, body: schemas.TakeOverIn) -> Any:
    """Bring to a variant what was changed in another one of its study."""
    variant, source = variant_by_id(variant_id), variant_by_id(body.source_id)
    TakeOverChange(user_of(request), variant, {}, body.why, source, tuple(body.only)).run()
    return Status(204, None)


@studies.get(
    "/variants/{variant_id}/bench", operation_id="getBench", response={200: schemas_supply.BenchOut, 304: None}
)
@decorate_view(by_version)
def get_bench(request: HttpRequest, variant_id: int) -> Any:
    """Return everything the bench shows of one variant."""
    row = variant_by_id(variant_id)
    seen = seen_variant(request, user_of(request), variant_id)
    if seen is None:  # Taken out between the two looks.
        raise Missing(f"There is no variant {variant_id}.")
    return present.bench(row, seen.role)


@studies.post("/variants/{variant_id}/copies", operation_id="copyVariant", response={201: schemas.VariantRef})
def copy_variant(request: HttpRequest, variant_id: int, body: schemas.VariantIn) -> Any:
    """Copy a variant with its plan under another name."""
    return Status(201, present.variant_ref(CopyVariant(user_of(request), variant_by_id(variant_id), body.name).run()))


@studies.patch("/variants/{variant_id}", operation_id="changeVariant", response={204: None})
def change_variant(request: HttpRequest, variant_id: int, body: schemas.VariantChange) -> Any:
    """Set some choices of a variant."""
    fields = body.dict(exclude_unset=True)
    ChangeVariant(user_of(request), variant_by_id(variant_id), fields, why=fields.pop("why", "")).run()
    return Status(204, None)


@studies.patch("/studies/{study_id}/demand", operation_id="editDemand", response={204: None})
def edit_demand(request: HttpRequest, study_id: int, body: schemas.DemandEdit) -> Any:
    """Set cells as typed, add, copy and remove rows: all of it or nothing."""
    cells = {str(key): row for key, row in body.cells.items()}
    copies = {str(key): names for key, names in body.copies.items()}
    removed = [str(key) for key in body.removed]
    after = {str(key): str(before) for key, before in body.after.items()}
    EditDemand(user_of(request), study_by_id(study_id), cells, removed, copies, after).run()
    return Status(204, None)


@studies.post("/studies/{study_id}/undo", operation_id="undoEdit", response={204: None})
def undo_edit(request: HttpRequest, study_id: int, edit_id: int | None = None) -> Any:
    """Take back the last edit; with ``edit_id`` only if that is it."""
    StepEdits(user_of(request), study_by_id(study_id), forward=False, expected=edit_id).run()
    return Status(204, None)


@studies.post("/studies/{study_id}/redo", operation_id="redoEdit", response={204: None})
def redo_edit(request: HttpRequest, study_id: int, edit_id: int | None = None) -> Any:
    """Do the last undone edit again; with ``edit_id`` only if that is it."""
    StepEdits(user_of(request), study_by_id(study_id), forward=True, expected=edit_id).run()
    return Status(204, None)


@studies.get("/studies/{study_id}/trail", operation_id="getTrail", response=list[schemas.AuditOut])
def get_trail(request: HttpRequest, study_id: int) -> Any:
    """List the last hundred mutations of a study and its variants, newest first."""
    rows = trail_of(study_by_id(study_id)).order_by("-id")[:100]
    return [{"at": r.at, "actor": r.actor.username, "action": r.action, "subject": r.subject} for r in rows]


@runs.post("/variants/{variant_id}/runs", operation_id="startFit", response={201: schemas.RunOut})
def start_fit(request: HttpRequest, variant_id: int) -> Any:
    """Start a fit in the background."""
    return Status(201, present.run(StartRun(user_of(request), variant_by_id(variant_id)).run()))


@runs.get("/runs/{run_id}", operation_id="getRun", response=schemas.RunOut)
def get_run(request: HttpRequest, run_id: int) -> Any:
    """Say where a run stands."""
    return present.run(run_by_id(run_id))


@runs.post("/runs/{run_id}/stop", operation_id="stopRun", response=schemas.RunOut)
def stop_run(request: HttpRequest, run_id: int) -> Any:
    """Stop a run and keep the best so far."""
    row = run_by_id(run_id)
    StopStudyJob(user_of(request), row, row.variant.study).run()
    return present.run(row)


@runs.get("/fits/{fit_id}/files/{name}", operation_id="getFile", response=str)
def get_file(request: HttpRequest, fit_id: int, name: HandoverFile) -> HttpResponse:
    """Return a handover file."""
    return download(*handover_file(fit_by_id(fit_id), name))


@runs.get("/fits/{fit_id}/bundle.zip", operation_id="getBundle", response=str)
def get_bundle(request: HttpRequest, fit_id: int) -> HttpResponse:
    """Return all that is handed over of a plan as one file; what is left out of it says why."""
    return download(*bundle_of(fit_by_id(fit_id)))


@runs.get("/fits/{fit_id}/bundle/{name}", operation_id="getBundleFile", response=str)
def get_bundle_file(request: HttpRequest, fit_id: int, name: BundleFile) -> HttpResponse:
    """Return a file of a plan's bundle alone."""
    return download(*bundle_file(fit_by_id(fit_id), name.value))


api.add_router("/session", sessions)
api.add_router("/catalogue", routers_supply.catalogue)
api.add_router("/house", routers_supply.house)
api.add_router("", routers_supply.supply)
api.add_router("", routers_demand.demand)
api.add_router("/intakes", routers_demand.intake)
api.add_router("", studies)
api.add_router("", runs)
api.add_router("", routers_inquiry.inquiries)
api.add_router("", routers_rehearsal.rehearsals)
api.add_router("", routers_ledger.ledger)
api.add_router("", routers_addresses.addresses)
api.add_router("", routers_preflight.preflight)
api.add_router("", routers_availability.availability)
api.add_router("", routers_comparison.comparison)
api.add_router("", routers_history.history)
api.add_router("", routers_search.search)
api.add_router("", routers_sharing.sharing)
api.add_router("", routers_signing.signing)
api.add_router("", routers_starters.starters)
api.add_router("", routers_builds.builds)
api.add_router("", routers_sweeps.sweeps)
api.add_router("/inbox", routers_signing.inbox)
api.add_router("/operations", routers_operations.operations)
api.add_router("", routers_people.people)
