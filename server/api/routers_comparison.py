"""The addresses of comparisons: look up, act, return."""

from __future__ import annotations

from typing import Annotated, Any

from django.http import HttpRequest, HttpResponse
from ninja import Query, Router
from pydantic import Field

from api.download import download
from api.present_comparison import shown_bridges, shown_comparison
from api.schemas_comparison import BridgedOut, ComparisonOut
from handover.comparison import comparison_csv, comparison_markdown
from runs.comparing import compared
from studies.queries import study_by_id

comparison = Router()
Keys = Annotated[list[Annotated[str, Field(max_length=40)]], Query(default_factory=list, max_length=20)]


@comparison.get("/studies/{study_id}/comparison", operation_id="compare", response=ComparisonOut)
def compare(request: HttpRequest, study_id: int, of: Keys) -> Any:
    """Return plans of a study beside each other, all told against the first; none stated: the reference and the next variant with a plan."""
    return shown_comparison(compared(study_by_id(study_id), of))


@comparison.get("/studies/{study_id}/comparison/bridges", operation_id="getBridges", response=list[BridgedOut])
def get_bridges(request: HttpRequest, study_id: int, of: Keys) -> Any:
    """Return what makes each plan's month cost what it does beside the first one's; of large plans this takes longest."""
    return shown_bridges(compared(study_by_id(study_id), of))


@comparison.get("/studies/{study_id}/comparison.md", operation_id="getComparisonText", response=str)
def get_comparison_text(request: HttpRequest, study_id: int, of: Keys) -> HttpResponse:
    """Return the same as Markdown."""
    return download(*comparison_markdown(compared(study_by_id(study_id), of)))


@comparison.get("/studies/{study_id}/comparison.csv", operation_id="getComparisonFile", response=str)
def get_comparison_file(request: HttpRequest, study_id: int, of: Keys) -> HttpResponse:
    """Return the same as CSV."""
    return download(*comparison_csv(compared(study_by_id(study_id), of)))
