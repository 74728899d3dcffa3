"""Addresses as they are stated and sent."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from api.answer import Answer
from api.schemas import FaultOut
from api.strict import Body
from runs.questions.pool_limits import Origin

RoleName = Literal["nodes", "pods", "public", "services"]


class ZoneNodesOut(Answer):
    """Nodes that may run at once in a zone: the most of the limits or the plan, with surge and what is bought after a loss; grown: later."""

    zone: str
    planned: int
    most: int
    grown_most: int
    surge: int
    after_loss: int
    nodes: int
    grown: int


class AddressRangeOut(Answer):
    """A planned range, and what it can grow into where it is; amounts of addresses as text, those of IPv6 are beyond exact numbers."""

    name: str
    role: RoleName
    zone: str
    range: str
    first: str
    last: str
    addresses: str
    needs: str
    kept: str
    kept_addresses: str
    needs_grown: str
    nodes: str | None
    nodes_grown: str | None
    offset: float
    width: float
    kept_width: float


class FreeRangeOut(Answer):
    """A range of the parent that is free, or in use elsewhere, and where in the parent it lies, as shares from 0 to 1."""

    range: str
    name: str
    addresses: str
    offset: float
    width: float


class CeilingOut(Answer):
    """The most nodes that ranges allow in a zone, surge included, and which decides it."""

    zone: str
    nodes: str
    decided_by: str


class AddressPlanOut(Answer):
    """Ranges of one family; ``standard``: by which the parent is for use inside, empty: none. ``static``: services' addresses chosen by hand."""

    version: int
    parent: str
    standard: str
    addresses: str
    ranges: list[AddressRangeOut]
    free: list[FreeRangeOut]
    used: list[FreeRangeOut]
    missing: list[str]
    ceilings: list[CeilingOut]
    ceilings_grown: list[CeilingOut]
    static: int
    faults: list[FaultOut]


class AddressChangeOut(Answer):
    """One change of today's ranges: ``was`` is widened to ``range``, or (null) ``range`` is added."""

    name: str
    role: RoleName
    zone: str
    was: str | None
    range: str
    because: str


class TodayOut(Answer):
    """What is wrong with today's ranges, the most nodes they allow, and the least change that reaches the plan."""

    faults: list[FaultOut]
    ceilings: list[CeilingOut]
    changes: list[AddressChangeOut]
    missing: list[str]


class AddressesOut(Answer):
    """The address plan of a variant's newest plan; ``plans`` is empty where no parent range is stated."""

    fit_id: int
    limits_from: Origin
    zones: list[ZoneNodesOut]
    most_pods: int
    block: int
    plans: list[AddressPlanOut]
    today: TodayOut | None


class UsedText(Body):
    """Ranges in use elsewhere as text: a line each, a range and a name; a header may name the columns."""

    text: Annotated[str, Field(max_length=1_000_000)]
