"""Sweeps, as they are sent."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from api.answer import Answer

Sentence = Annotated[str, Field(max_length=1000)]
PointStatus = Literal["optimal", "feasible", "infeasible", "unknown", "refused", "failed"]


class SweepIn(Schema):
    """A sweep in one sentence."""

    sentence: Sentence


class SweepReadOut(Answer):
    """What a sentence asks, read back before anything is begun."""

    told: str
    fits: int


class SweepLineOut(Answer):
    """A sweep: what was asked by whom, and how far it is; ``known`` of ``fits`` points are answered."""

    id: int
    sentence: str
    told: str
    variant: str
    fits: int
    known: int
    status: Literal["queued", "running", "done", "failed"]
    stop_requested: bool
    message: str
    asked_by: str
    asked_at: datetime


class SweepValueOut(Answer):
    """What is chosen, or what a future brings: the quantity and its value in words."""

    name: str
    value: str


class SweepOutcomeOut(Answer):
    """What becomes of one combination of choices over all futures; amounts a month, null where there is none."""

    chosen: list[SweepValueOut]
    mean: str | None
    low: str | None
    middle: str | None
    high: str | None
    worst_regret: str | None
    worst_future: list[SweepValueOut]
    mean_regret: str | None
    sure_regret: str
    cheapest: int
    planned: int
    unplanned: int


class SweepDriverOut(Answer):
    """How much of the variance of cost a quantity explains by itself, from 0 to 1."""

    name: str
    share: float


class SweepPointOut(Answer):
    """A point that is known: its choice and future by number, cost and floor a month (null: no plan), and how it was answered."""

    number: int
    choice: int
    brings: list[SweepValueOut]
    status: PointStatus
    cost: str | None
    floor: str | None
    nodes: int
    reason: str
    known: bool


class SweepOut(SweepLineOut):
    """A sweep with all that is known of it."""

    currency: str
    with_fees: bool
    choices: int
    futures: int
    compared: int
    outcomes: list[SweepOutcomeOut]
    drivers: list[SweepDriverOut]
    points: list[SweepPointOut]
    again: int


class SweepPoolOut(Answer):
    """Nodes of a pool in a zone at a point."""

    instance_type: str
    purchase: str
    zone: str
    nodes: int
