"""The list of studies, and studies as files, as they are sent."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from api.answer import Answer
from api.schemas import Name, VariantRef
from api.strict import Body


class ShortestOut(Answer):
    """The journey that falls shortest: minutes a month for which it is down, and those that its target allows."""

    name: str
    minutes: float
    allowed: float


class TrendOut(Answer):
    """What nodes and zones of the reference cost a month by the last plan of a day."""

    day: date
    cost: str


class StudyLineOut(Answer):
    """A study in the list, with what one decides by: of the newest plan of its reference, and of its last edit."""

    id: int
    name: str
    organisation: str
    currency: str
    tags: list[str]
    archived: bool
    signed: bool
    waiting: bool
    owners: list[str]
    yours: Literal["reader", "editor", "owner"]
    workloads: int
    replicas: int
    variants: list[VariantRef]
    cost_per_month: str | None
    with_fees: bool
    blockers: int | None
    warnings: int | None
    gap: float | None
    shortest: ShortestOut | None
    survive_zone: Literal["none", "standing", "landing", "growing"]
    lost_nodes: int
    trend: list[TrendOut]
    touched_at: datetime
    touched_by: str


class StudiesOut(Answer):
    """A page of the list of studies, how many there are in all, and the tags that studies have."""

    studies: list[StudyLineOut]
    total: int
    tags: list[str]


class StudiesQuery(Schema):
    """Which studies are listed, what comes first, and which page."""

    find: Annotated[str, Field(max_length=120)] = ""
    tag: Annotated[str, Field(max_length=40)] = ""
    archived: bool = False
    order: Literal["touched", "name", "cost", "gap", "downtime", "findings"] = "touched"
    first: Annotated[int, Field(ge=0, le=1_000_000)] = 0
    count: Annotated[int, Field(ge=1, le=200)] = 50


class ArrangeStudyIn(Body):
    """Name or tags of a study, or whether it is put away; what is left out stays."""

    name: Name = ""
    tags: Annotated[list[Annotated[str, Field(max_length=20_000)]], Field(max_length=200)] = []
    archived: bool = False


class StudyFileIn(Body):
    """The text of a study's file, and what the study is to be called here (empty: as in the file)."""

    text: Annotated[str, Field(max_length=24 * 2**20)]
    name: Annotated[str, Field(max_length=120)] = ""


class NamedOut(Answer):
    """A person who may be named in a study: what they are in the house, and in the study (null: not named)."""

    username: str
    full_name: str
    house_role: str
    role: Literal["reader", "editor", "owner"] | None
    made_it: bool


class StudyPeopleOut(Answer):
    """Who may do what with a study: what all others may, what you may, and everybody who is or could be named."""

    study_name: str
    others: Literal["nothing", "reader", "editor"]
    yours: Literal["reader", "editor", "owner"]
    people: list[NamedOut]


class ShareIn(Body):
    """What all others may, or a person with what they are in the study (null: named no longer); what is left out stays."""

    others: Literal["nothing", "reader", "editor"] | None = None
    username: Annotated[str, Field(max_length=150)] | None = None
    role: Literal["reader", "editor", "owner"] | None = None
