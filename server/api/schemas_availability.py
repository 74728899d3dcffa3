"""What the API says of availability: journeys with their budgets, what they hang on, the control plane, failure data."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import Field

from api.answer import Answer
from api.schemas import FaultOut
from api.strict import Body

Text = Annotated[str, Field(max_length=120)]
Reach = Literal["zonal", "spread", "regional", "outside"]


class JourneyIn(Body):
    """A journey as stated: its target in percent, and its chain in text (empty: all workloads that name it)."""

    name: Text
    target: Annotated[str, Field(max_length=20)]
    chain: Annotated[str, Field(max_length=4000)] = ""


class DependencyIn(Body):
    """Something outside the study's workloads: how far it goes down with what, its availability in percent, its repair."""

    name: Text
    reach: Reach
    zone: Annotated[str, Field(max_length=80)] = ""
    availability: Annotated[str, Field(max_length=20)]
    repair_s: Annotated[float, Field(gt=0, le=31_536_000)]
    origin: Annotated[str, Field(max_length=60)] = ""
    why: Annotated[str, Field(max_length=200)] = ""


class FailureIn(Body):
    """How often one thing fails in a year of working, and the seconds of its repair."""

    per_year: Annotated[float, Field(ge=0, le=1_000_000)]
    repair_s: Annotated[float, Field(gt=0, le=31_536_000)]


class FailuresIn(Body):
    """Figures stated over the defaults; what is left out stays the default."""

    replica: FailureIn | None = None
    node: FailureIn | None = None
    interrupted: FailureIn | None = None
    zone: FailureIn | None = None
    region: FailureIn | None = None
    member: FailureIn | None = None
    zone_beta: Annotated[float, Field(ge=0, le=1)] | None = None
    region_beta: Annotated[float, Field(ge=0, le=1)] | None = None
    detect_s: Annotated[float, Field(ge=0, le=86_400)] | None = None
    evict_s: Annotated[float, Field(ge=0, le=86_400)] | None = None
    place_s: Annotated[float, Field(ge=0, le=86_400)] | None = None
    node_start_s: Annotated[float, Field(ge=0, le=86_400)] | None = None
    node_start_p95_s: Annotated[float, Field(ge=0, le=86_400)] | None = None
    start_up_s: Annotated[float, Field(ge=0, le=86_400)] | None = None
    control_plane_s: Annotated[float, Field(ge=0, le=86_400)] | None = None
    new_pool_s: Annotated[float, Field(ge=0, le=86_400)] | None = None
    new_cluster_s: Annotated[float, Field(ge=0, le=86_400)] | None = None
    serving_percent: Annotated[int, Field(ge=1, le=100)] | None = None


class PromisesIn(Body):
    """Journeys, dependencies and failure figures; what is left out stays, what is there is stated whole."""

    journeys: Annotated[list[JourneyIn], Field(max_length=200)] = []
    dependencies: Annotated[list[DependencyIn], Field(max_length=200)] = []
    failures: FailuresIn = FailuresIn()


class LossOut(Answer):
    """A cause or a link: minutes a month that would go if it never failed, and its share of all such minutes."""

    name: str
    minutes: float
    share: float


class LinkOut(Answer):
    """One link of a journey with what it stands on.

    ``alone_minutes``: what it is down by itself. ``windows``: seconds until lost replicas serve elsewhere after the loss of
    a node and of a zone; none: they wait for its repair. ``by_zone``: replicas on each node, zone by zone.
    """

    name: str
    kind: Literal["workload", "zonal", "spread", "regional", "outside"]
    minutes: float
    share: float
    alone_minutes: float
    replicas: int
    needed: int
    by_zone: dict[str, list[int]]
    windows: list[float | None]
    why: str


class PartOut(Answer):
    """A part of a chain: a link by name, or so many needed of its parts."""

    name: str | None
    needed: int
    parts: list[PartOut]


class JourneyOut(Answer):
    """A journey: what it is down in minutes of a budget month of 30 days and of a year of 365, and what that hangs on."""

    name: str
    target: str
    stated: bool
    chain: str
    structure: PartOut
    percent: str
    unavailability: float
    minutes_month: float
    minutes_year: float
    within_minutes: float
    allowed_minutes: float
    met: bool
    causes: list[LossOut]
    links: list[LinkOut]


class PlaneOut(Answer):
    """The control plane, apart from serving: where its members stand, how long no majority does, what stops then."""

    members: int
    by_zone: dict[str, int]
    minutes_month: float
    promised_minutes: float | None
    surprises: list[str]
    stops: list[str]


class FigureOut(Answer):
    """One figure of the failure data: failures a year and repair, or a plain value; where it comes from."""

    name: str
    per_year: float | None = None
    repair_s: float | None = None
    value: float | None = None
    minutes_month: float | None = None
    origin: str
    why: str
    stated: bool


class AvailabilityOut(Answer):
    """Everything of a variant's availability over its latest fit; without a fit the stated figures alone."""

    fit_id: int | None
    journeys: list[JourneyOut]
    dependencies: list[DependencyIn]
    plane: PlaneOut
    figures: list[FigureOut]
    faults: list[FaultOut]
    milliseconds: float


class Remedy(Answer):
    """One step that would help: minutes a month less, and where a replica is added what it costs about a month."""

    kind: Literal["replica", "zone", "regional", "spread"]
    name: str
    minutes: float
    cost: str | None
