"""The address of what is found by its name."""

from __future__ import annotations

from dataclasses import asdict
from typing import Annotated, Any

from django.http import HttpRequest
from ninja import Query, Router, Schema
from pydantic import Field

from runs.search import found
from studies.queries import variant_by_id

search = Router()


class SearchQuery(Schema):
    """What is looked for, and the variant that is looked at."""

    text: Annotated[str, Field(max_length=120)]
    variant_id: int | None = None


class FoundOut(Schema):
    """Something that was found, and where it is looked at."""

    kind: str
    name: str
    words: str
    link: str


@search.get("/found", operation_id="find", response=list[FoundOut])
def find(request: HttpRequest, asked: Query[SearchQuery]) -> Any:
    """Return what holds every word of a text in its name, of each kind the first few."""
    variant = None if asked.variant_id is None else variant_by_id(asked.variant_id)
    return [asdict(each) for each in found(asked.text, variant)]
