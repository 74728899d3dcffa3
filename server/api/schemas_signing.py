"""Plans that are handed in, signed and returned, and what people are told, as they are sent."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from api.answer import Answer
from api.schemas import FaultOut, VariantRef
from api.schemas_comparison import NodeCountOut

Digest = Annotated[str, Field(pattern="^[0-9a-f]{64}$")]
Words = Annotated[str, Field(max_length=1000)]


class HandInPlanIn(Schema):
    """What is asked of the lead, at which figures."""

    words: Words
    digest: Digest


class SayIn(Schema):
    """What is said of a plan that waits, at which figures."""

    words: Words = ""
    digest: Digest


class SeenJourneyOut(Answer):
    """Minutes a month for which a journey is down, and those that its target allows (null: it has none), as decimal text."""

    name: str
    minutes: str
    allowed: str | None


class SeenLineOut(Answer):
    """A part of the bill."""

    name: str
    amount: str


class SeenDrillOut(Answer):
    """A drill and what it showed."""

    name: str
    mark: Literal["held", "strained", "broken"]


class SeenFindingOut(Answer):
    """A finding, and who accepted it with which words (empty: nobody)."""

    grade: Literal["stop", "care", "note"]
    code: str
    text: str
    fix: str
    accepted: str


class SeenDeviationOut(Answer):
    """A house rule that is left."""

    rule: str
    chosen: str
    why: str


class SeenOut(Answer):
    """What is signed: figures with all fees, a month."""

    problem: str
    solution: str
    currency: str
    cost: str
    floor: str
    nodes: list[NodeCountOut]
    journeys: list[SeenJourneyOut]
    bill: list[SeenLineOut]
    drills: list[SeenDrillOut] | None
    findings: list[SeenFindingOut]
    deviations: list[SeenDeviationOut]


class SignatureOut(Answer):
    """What a lead said."""

    by: str
    at: datetime
    signs: bool
    words: str


class SignOffLine(Answer):
    """A plan that was handed in, in short."""

    id: int
    fit_id: int
    variant_id: int
    variant_name: str
    state: Literal["waiting", "signed", "returned", "withdrawn", "replaced", "superseded"]
    words: str
    asked_by: str
    asked_at: datetime
    closed_at: datetime | None
    needed: int
    digest: str
    signatures: list[SignatureOut]


class SignOffOut(SignOffLine):
    """A plan that was handed in, with what was seen of it, what differs since, and what it changes against the one before."""

    seen: SeenOut
    since: list[str]
    against: str
    changes: list[str]
    may_sign: bool
    why_not: str
    may_withdraw: bool


class SignOffsOut(Answer):
    """A study's plans that were handed in, the newest first, and what differs since one was signed."""

    study_id: int
    study_name: str
    variants: list[VariantRef]
    sign_offs: list[SignOffLine]
    since: list[str]


class DraftOut(Answer):
    """What would be handed in of a variant's newest plan, and what keeps it from being so."""

    variant_id: int
    variant_name: str
    digest: str
    needed: int
    hurdles: list[FaultOut]
    seen: SeenOut


class NoticeOut(Answer):
    """What a person is told."""

    id: int
    at: datetime
    by: str
    words: str
    link: str
    read: bool


class InboxOut(Answer):
    """What a person is told, newest first, and how much of it is unread."""

    unread: int
    notices: list[NoticeOut]


class ReadIn(Schema):
    """Up to which notice all were read."""

    up_to: int
