"""Change lists, builds and what runs against the plan, as they are sent."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from ninja import Schema
from pydantic import Field

from api.answer import Answer
from api.schemas import FaultOut
from api.schemas_signing import Digest

Doing = Literal["create", "change", "keep", "remove"]
PartKind = Literal["range", "gateway", "control plane", "pool", "node", "add-on", "volume"]
Goal = Literal["plan", "upgrade", "replace", "nothing"]
Version = Annotated[str, Field(max_length=20)]
DriftKind = Literal[
    "nodes",
    "version",
    "range",
    "waiting",
    "missing",
    "unplanned",
    "replicas",
    "spread",
    "requests",
    "limits",
]


class ChangeLineOut(Answer):
    """What is done to a part, or to the nodes of a pool together: how many, why, what it takes and costs."""

    key: str
    kind: PartKind
    name: str
    zone: str
    do: Doing
    count: int
    reason: str
    risk: str
    median_s: float
    cost_per_month: str


class ExpectedOut(Answer):
    """Seconds to the end, and between which nine of ten builds end."""

    median_s: float
    early_s: float
    late_s: float


class VersionStepOut(Answer):
    """A version that is newer than what runs, why it may not be gone to now (empty: it may), and when it ends (null: nobody says)."""

    version: str
    why_not: str
    ends: date | None


class ChangeDrillOut(Answer):
    """What a drill of a change shows on the plan, and what an operator does outside of it."""

    title: str
    mark: Literal["held", "strained", "broken"]
    reason: str
    whole_s: float
    steps: list[str]


class GoesOnOut(Answer):
    """What is paid a month once the cluster is gone, and why."""

    what: str
    per_month: str
    why: str


class ChangesOut(Answer):
    """From what stands to a plan, in the order in which it is done; what is risky once more, the gravest first."""

    fit_id: int
    cluster: str
    known_from: Literal["service", "listing", "nothing"]
    trouble: str
    digest: Digest
    signed: str
    hurdles: list[FaultOut]
    expected: ExpectedOut
    added_per_month: str
    currency: str
    versions: list[VersionStepOut]
    drill: ChangeDrillOut | None
    goes_on: list[GoesOnOut]
    lines: list[ChangeLineOut]
    risky: list[ChangeLineOut]


class StartBuildIn(Schema):
    """Begin what is to be done at the change list that was seen; where the cluster is taken away its name is typed."""

    digest: Digest
    why: Annotated[str, Field(max_length=400)] = ""
    goal: Goal = "plan"
    version: Version = ""
    volumes: bool = False
    typed: Annotated[str, Field(max_length=120)] = ""


class WishIn(Schema):
    """What is wished of a build."""

    wish: Literal["pause", "resume", "retry", "take-back"]


class BuildLineOut(Answer):
    """A build in short."""

    id: int
    cluster: str
    provider: str
    variant_id: int
    variant_name: str
    fit_id: int
    goal: Goal
    why: str
    state: str
    wish: str
    status: Literal["queued", "running", "done", "failed"]
    phase: str
    share: float
    message: str
    started_by: str
    started_at: datetime
    ended_at: datetime | None
    seen: datetime | None
    expected: ExpectedOut | None


class BuildPartOut(Answer):
    """Parts of a build that are done alike: one, or the nodes of a pool; how many there are by state, and what is told of them."""

    key: str
    kind: PartKind
    name: str
    zone: str
    do: Doing
    count: int
    waiting: int
    running: int
    stuck: int
    done: int
    back: int
    risk: str
    median_s: float
    messages: list[str]


class GatewayOut(Answer):
    """A gateway's address."""

    zone: str
    address: str


class OutsideStepOut(Answer):
    """What an operator does outside of a build, and who ticked it (empty: nobody)."""

    text: str
    by: str


class TickIn(Schema):
    """A step that is done, or not after all."""

    place: Annotated[int, Field(ge=0, le=1000)]
    done: bool


class BuildOut(BuildLineOut):
    """A build, whole."""

    parts: list[BuildPartOut]
    api_address: str
    version: str
    gateways: list[GatewayOut]
    node_names: list[str]
    steps: list[OutsideStepOut]


class DriftOut(Answer):
    """A difference between the plan and what runs, and who said that the plan is right (empty: nobody)."""

    kind: DriftKind
    where: str
    planned: str
    actual: str
    count: int
    can_take: bool
    plan_right_by: str


class PoolHealthOut(Answer):
    """How a pool is; shares of what its nodes offer that replicas request."""

    instance_type: str
    zone: str
    planned: int
    least: int
    most: int
    nodes: int
    not_ready: int
    versions: list[str]
    cpu_share: float
    memory_share: float


class RunsAgainstPlanOut(Answer):
    """What runs against a plan."""

    fit_id: int
    variant_name: str
    signed_on: str
    origin: str
    read_at: datetime
    nodes: int
    is_of_plan: bool
    drifts: list[DriftOut]
    pools: list[PoolHealthOut]


class ListingIn(Schema):
    """A listing of nodes and pods, as the cluster's API gives it."""

    text: str
    origin: Annotated[str, Field(max_length=200)] = ""


class ListedOut(Answer):
    """How many nodes were listed."""

    nodes: int


class DriftAnswerIn(Schema):
    """Who is right where something differs, of both sides as they were seen."""

    kind: DriftKind
    where: Annotated[str, Field(max_length=520)]
    planned: Annotated[str, Field(max_length=400)]
    actual: Annotated[str, Field(max_length=400)]
    right: Literal["plan", "cluster"]
