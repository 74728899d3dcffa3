"""Plans beside each other as they are sent."""

from __future__ import annotations

from datetime import datetime
from decimal import Decimal
from typing import Literal

from api.answer import Answer
from api.schemas import VariantRef


class ColumnOut(Answer):
    """A plan of a comparison, with its nodes by instance type, purchase and zone; what runs has neither variant nor plan."""

    key: str
    name: str
    variant_id: int | None
    fit_id: int | None
    computed_at: datetime | None
    is_current: bool
    nodes: list[NodeCountOut]


class NodeCountOut(Answer):
    """So many nodes of a pool in a zone; beside the first plan: so many more, or (below 0) fewer."""

    instance_type: str
    purchase: str
    zone: str
    count: int


class InputChangeOut(Answer):
    """What is asked otherwise than of the first plan; an empty value: there is none."""

    group: Literal["promises", "limits", "demand", "supply"]
    what: str
    before: str
    after: str
    words: str


class PartsOut(Answer):
    """What leads from the first plan's month to another's: price, demand, promises and choices sum to the difference to the last cent."""

    before: Decimal
    after: Decimal
    price: Decimal
    demand: Decimal
    promises: Decimal
    choices: Decimal


class BridgedOut(Answer):
    """What makes a plan's month cost what it does beside the first one's."""

    key: str
    bridge: PartsOut | None


class AgainstOut(Answer):
    """What a plan has otherwise than the first: in sentences, what was asked, and nodes."""

    key: str
    sentences: list[str]
    inputs: list[InputChangeOut]
    nodes: list[NodeCountOut]


class FigureLineOut(Answer):
    """A line of figures, one a plan as decimal text (null: not known), and which plans have the best."""

    name: str
    unit: Literal["money", "percent", "minutes", "count"]
    values: list[str | None]
    best: list[int]


class ChoiceOut(Answer):
    """A choice that differs, and its value in each plan; an empty one: it states none."""

    field: str
    name: str
    values: list[str]


class OfferedOut(Answer):
    """What can be compared."""

    key: str
    name: str
    computed_at: datetime | None


class ComparisonOut(Answer):
    """Plans of a study beside each other, all told against the first."""

    study_id: int
    study_name: str
    currency: str
    undo: str | None
    variants: list[VariantRef]
    columns: list[ColumnOut]
    against: list[AgainstOut]
    figures: list[FigureLineOut]
    choices: list[ChoiceOut]
    offered: list[OfferedOut]


ColumnOut.model_rebuild()
