"""What the API says of inquiries: promises priced, types that stand by, conflicts."""

from __future__ import annotations

from typing import Literal

from ninja import Schema

from api.schemas_supply import Purchase

Question = Literal["promises", "conflict"]


class QuestionIn(Schema):
    """What is asked."""

    question: Question


class PriceOut(Schema):
    """What a promise costs a month, what the floors prove of it, and the fit without it."""

    key: str
    words: str
    price: str
    least: str
    most: str
    without: str
    without_floor: str


class StandingOut(Schema):
    """Where an instance type stands beside the fit's; prices are by the hour."""

    instance_type: str
    purchase: Purchase
    zone: str
    standing: Literal["chosen", "as good", "dearer", "never needed", "carries nothing"]
    nodes: int
    price_per_hour: str
    enters_at_per_hour: str
    dearer: float
    beside: str


class PromisesOut(Schema):
    """Promises dearest first, types nearest first, and by zone what a unit of a resource costs a month at the margin."""

    prices: list[PriceOut]
    types: list[StandingOut]
    unit_prices: dict[str, dict[str, float]]


class ConflictOut(Schema):
    """Rules that together leave no fit, and those whose loss alone would make one."""

    rules: list[str]
    ways_out: list[str]
    proved: bool


class InquiryOut(Schema):
    """Where an inquiry stands, and the answer as far as it is known: the part that belongs to its question."""

    id: int
    question: Question
    status: Literal["queued", "running", "done", "failed"]
    phase: str
    share: float
    stop_requested: bool
    message: str
    fit_id: int | None
    is_current: bool
    promises: PromisesOut | None
    conflict: ConflictOut | None
