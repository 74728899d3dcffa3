"""A study through time, as it is sent."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated

from ninja import Schema
from pydantic import Field

from api.answer import Answer
from api.schemas import VariantRef


class RevisionOut(Answer):
    """An edit of a study: who made it, when, what and why."""

    id: int
    at: datetime
    actor: str
    summary: str
    why: str
    undone: bool


class RevisionsQuery(Schema):
    """Which page of the revisions is asked for."""

    before: Annotated[int, Field(ge=1)] | None = None
    count: Annotated[int, Field(ge=1, le=200)] = 50


class RevisionsOut(Answer):
    """A page of a study's revisions, the newest first, how many there are in all, and how it began."""

    study_id: int
    study_name: str
    began_at: datetime
    began_by: str
    total: int
    variants: list[VariantRef]
    revisions: list[RevisionOut]


class RevisionsBetween(Schema):
    """Two revisions; 0 is the study as it began."""

    first: Annotated[int, Field(ge=0)] = 0
    last: Annotated[int, Field(ge=0)] = 0


class DifferenceOut(Answer):
    """What differs between two revisions."""

    of: str
    what: str
    before: str
    after: str


class RevisionNoteIn(Schema):
    """Why an edit was made."""

    why: Annotated[str, Field(max_length=400)]


class RestoreIn(Schema):
    """Which variant becomes again what it was, under which name, and whether the rows of demand do too."""

    variant_id: int
    name: Annotated[str, Field(max_length=80)]
    demand: bool = False
