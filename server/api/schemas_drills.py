"""What the API says of drills: books that were played, what happened in one drill, and drills of one's own."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import Field

from api.answer import Answer
from api.strict import Body

DrillKind = Literal[
    "nodes",
    "zone",
    "region",
    "members",
    "dependency",
    "stock",
    "interruption",
    "shrink",
    "grow",
    "even",
    "version",
    "retype",
    "retire",
]
Mark = Literal["held", "strained", "broken"]
Name = Annotated[str, Field(max_length=200)]
Seconds = Annotated[float, Field(le=31_536_000)]


class DrillStepIn(Body):
    """One step of a drill; what its kind has no use for is left out."""

    kind: DrillKind
    at_s: Seconds = 0.0
    name: Annotated[str, Field(max_length=100)] = ""
    after: Annotated[str, Field(max_length=100)] = ""
    zone: Name = ""
    dependency: Name = ""
    count: Annotated[int, Field(ge=0, le=1_000_000)] = 1
    instance_type: Name = ""
    purchase: Literal["on-demand", "interruptible", "committed"] = "on-demand"
    to_type: Name = ""
    share: float = 1.0
    minors: int = 1
    control_plane_only: bool = False
    lasts_s: Seconds | None = None
    worst: bool = True


class DrillIn(Body):
    """A drill of one's own."""

    name: Name
    steps: Annotated[list[DrillStepIn], Field(min_length=1, max_length=50)]

    def plain(self) -> dict[str, Any]:
        """Return it as it is stored: without what stands at its default."""
        return {
            "name": self.name,
            "steps": [{"kind": s.kind} | s.model_dump(exclude_defaults=True) for s in self.steps],
        }


class DrillsIn(Body):
    """All drills of one's own that a study keeps."""

    drills: Annotated[list[DrillIn], Field(max_length=50)]


class DrillStepOut(Answer):
    """One step of a drill."""

    kind: DrillKind
    at_s: float = 0.0
    name: str = ""
    after: str = ""
    zone: str = ""
    dependency: str = ""
    count: int = 1
    instance_type: str = ""
    purchase: str = "on-demand"
    to_type: str = ""
    share: float = 1.0
    minors: int = 1
    control_plane_only: bool = False
    lasts_s: float | None = None
    worst: bool = True
    chosen: list[int] = []


class DrillOut(Answer):
    """A drill with its steps; promised: the plan promises to survive it."""

    name: str
    promised: bool = False
    steps: list[DrillStepOut]


class WorkloadReadoutOut(Answer):
    """What happened to a workload in a drill."""

    workload: str
    wished: int
    needed: int
    lost: int
    moved: int
    waiting: int
    least: int
    serving: int
    short_s: float
    waited_s: float


class JourneyReadoutOut(Answer):
    """Minutes that a journey was down in a drill, of those that its target allows in a month of 30 days."""

    journey: str
    minutes: float
    allowed: float
    down: bool


class UnguidedOut(Answer):
    """The same loss with nobody telling the scheduler where to place."""

    runs: int
    landed: int
    waited: dict[str, int]
    sufficed_percent: int | None
    warnings: list[str]


class DrillResultOut(Answer):
    """What a drill showed."""

    drill: DrillOut
    mark: Mark
    reason: str
    steps: list[str]
    workloads: list[WorkloadReadoutOut]
    journeys: list[JourneyReadoutOut]
    free: dict[str, float]
    quorum: bool
    no_quorum_s: float
    serving_s: float
    whole_s: float
    ends_s: float
    extra_nodes: int
    spent: dict[str, float]
    checklist: list[str]
    warnings: list[str]
    searched: str
    unguided: UnguidedOut | None


class UnplayableOut(Answer):
    """A drill of one's own that does not fit what was fitted."""

    name: str
    reason: str
    fix: str


class DrillsOut(Answer):
    """What each drill of the book showed so far, of how many."""

    whole: int
    results: list[DrillResultOut]
    unplayable: list[UnplayableOut]


class ReplicaChangeOut(Answer):
    """How many more replicas of a workload are bound to a node, and how many more serve there."""

    node: int
    workload: str
    bound: int
    serving: int


class NodeStateOut(Answer):
    """How a node stands from then on."""

    node: int
    state: Literal["up", "cordoned", "dark", "gone"]


class DrillEventOut(Answer):
    """Something that happened, at seconds from the start."""

    at_s: float
    kind: str
    words: str
    changes: list[ReplicaChangeOut]
    nodes: list[NodeStateOut]
    waiting: int


class DrillNodeOut(Answer):
    """A node that stood, or came, in a drill."""

    name: str
    instance_type: str
    purchase: str
    zone: str


class DrillPlayOut(Answer):
    """Everything that happened in one drill, from what stood at its start."""

    nodes: list[DrillNodeOut]
    standing: list[ReplicaChangeOut]
    events: list[DrillEventOut]
