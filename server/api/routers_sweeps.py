"""The addresses of sweeps: look up, act, return."""

from __future__ import annotations

from typing import Any

from django.http import HttpRequest, HttpResponse
from ninja import Router, Status

from api import schemas_sweeps as schemas
from api.download import download
from api.present_sweeps import shown_line, shown_sweep
from api.session import user_of
from handover.sweep_files import point_problem_file, sweep_file
from rombel.sweep import read_sentence, told
from studies.actions.stop_study_job import StopStudyJob
from studies.queries import study_by_id, variant_by_id
from sweeps.actions.delete_sweep import DeleteSweep
from sweeps.actions.go_on import GoOn
from sweeps.actions.start_sweep import StartSweep
from sweeps.known import known_of
from sweeps.results import point_by_number, results_of, sweep_by_id, sweeps_of

sweeps = Router()


@sweeps.get("/variants/{variant_id}/sweep-sentence", operation_id="readSweep", response=schemas.SweepReadOut)
def read_sweep(request: HttpRequest, variant_id: int, sentence: schemas.Sentence) -> Any:
    """Say what a sentence asks, without beginning anything."""
    plan = read_sentence(sentence, known_of(variant_by_id(variant_id), sentence))
    return {"told": told(plan), "fits": plan.size}


@sweeps.post("/variants/{variant_id}/sweeps", operation_id="startSweep", response={201: schemas.SweepLineOut})
def start_sweep(request: HttpRequest, variant_id: int, body: schemas.SweepIn) -> Any:
    """Begin a sweep in the background."""
    return Status(201, shown_line(StartSweep(user_of(request), variant_by_id(variant_id), body.sentence).run(), 0))


@sweeps.get("/studies/{study_id}/sweeps", operation_id="listSweeps", response=list[schemas.SweepLineOut])
def list_sweeps(request: HttpRequest, study_id: int) -> Any:
    """List a study's sweeps, the newest first."""
    return [shown_line(row, known) for row, known in sweeps_of(study_by_id(study_id))]


@sweeps.get("/sweeps/{sweep_id}", operation_id="getSweep", response=schemas.SweepOut)
def get_sweep(request: HttpRequest, sweep_id: int) -> Any:
    """Return all that is known of a sweep by now."""
    return shown_sweep(results_of(sweep_by_id(sweep_id)))


@sweeps.get("/sweeps/{sweep_id}/points.csv", operation_id="getSweepFile", response=str)
def get_sweep_file(request: HttpRequest, sweep_id: int) -> HttpResponse:
    """Return the points of a sweep that are known as CSV."""
    return download(*sweep_file(results_of(sweep_by_id(sweep_id))))


@sweeps.get("/sweeps/{sweep_id}/points/{number}", operation_id="getSweepPoint", response=list[schemas.SweepPoolOut])
def get_sweep_point(request: HttpRequest, sweep_id: int, number: int) -> Any:
    """Return the nodes of a point that is known."""
    names = ("instance_type", "purchase", "zone", "nodes")
    return [dict(zip(names, entry, strict=True)) for entry in point_by_number(sweep_by_id(sweep_id), number).nodes]


@sweeps.get("/sweeps/{sweep_id}/points/{number}/problem.json", operation_id="getSweepProblem", response=str)
def get_sweep_problem(request: HttpRequest, sweep_id: int, number: int) -> HttpResponse:
    """Return the problem of a point, to be fitted anywhere."""
    return download(*point_problem_file(sweep_by_id(sweep_id), number))


@sweeps.post("/sweeps/{sweep_id}/stop", operation_id="stopSweep", response={204: None})
def stop_sweep(request: HttpRequest, sweep_id: int) -> Any:
    """Stop a sweep and keep the points that are known."""
    row = sweep_by_id(sweep_id)
    StopStudyJob(user_of(request), row, row.study).run()
    return Status(204, None)


@sweeps.post("/sweeps/{sweep_id}/resume", operation_id="resumeSweep", response={204: None})
def resume_sweep(request: HttpRequest, sweep_id: int) -> Any:
    """Compute the points of a sweep that are not known."""
    GoOn(user_of(request), sweep_by_id(sweep_id)).run()
    return Status(204, None)


@sweeps.delete("/sweeps/{sweep_id}", operation_id="deleteSweep", response={204: None})
def delete_sweep(request: HttpRequest, sweep_id: int) -> Any:
    """Delete a sweep that has ended."""
    DeleteSweep(user_of(request), sweep_by_id(sweep_id)).run()
    return Status(204, None)
