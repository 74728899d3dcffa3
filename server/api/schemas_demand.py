"""What the API takes and gives of demand: imports, levels, usage, growth, what runs, and intake."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal
from uuid import UUID

from ninja import Schema
from pydantic import Field

from api.answer import Answer
from api.schemas import FaultOut, Kind, LevelReplicas
from api.strict import Body

LevelName = Literal["trough", "usual", "peak", "grown"]
Cell = Annotated[str, Field(max_length=2000)]
Key = Annotated[UUID, Field(strict=False)]
Column = Annotated[str, Field(max_length=40)]
Definition = Literal["nearest rank", "linear", "weibull"]
Trend = Literal["linear", "robust", "smoothed"]
Percent = Annotated[int, Field(ge=0, le=500)]


class MappedIn(Body):
    """How a CSV's columns are read: ours to the file's heading, units after plain numbers, texts for columns it lacks."""

    columns: dict[Column, Cell] = {}
    units: dict[Column, Annotated[str, Field(max_length=4)]] = {}
    fixed: dict[Column, Cell] = {}


class ImportIn(Body):
    """A text to read demand from."""

    format: Literal["manifests", "compose", "csv"]
    text: str
    origin: Annotated[str, Field(max_length=200)] = ""
    mapped: MappedIn = MappedIn()
    remove_gone: bool = False


class CellChange(Answer):
    """One cell that would change."""

    column: str
    before: str
    after: str


class ReadRow(Answer):
    """One row that was read, and what it would do to the sheet."""

    namespace: str
    name: str
    kind: Kind
    replicas: int
    cpu: str
    memory: str
    change: Literal["new", "changed", "same", "gone"]
    cells: list[CellChange]


class IgnoredOut(Answer):
    """Something left out on purpose, and how often."""

    line: int
    what: str
    why: str
    count: int


class UnderstoodOut(Answer):
    """A kind of thing that was used, and how many."""

    what: str
    count: int


class HeadingsOut(Answer):
    """The headings of a CSV, some rows under them, the column each is taken for, and columns to choose from."""

    headings: list[str]
    sample: list[list[str]]
    guess: dict[str, str]
    units: dict[str, str]
    columns: list[str]
    required: list[str]


class ReadingOut(Answer):
    """What a text holds, before anything is stored."""

    rows: list[ReadRow]
    faults: list[FaultOut]
    ignored: list[IgnoredOut]
    understood: list[UnderstoodOut]
    fields: list[UnderstoodOut]
    headings: HeadingsOut | None
    running_nodes: int | None


class TextOut(Answer):
    """A large text that a worker reads: ``reading`` is what it holds, ``rows`` how many were taken, once it is done."""

    id: int
    status: Literal["queued", "running", "done", "failed"]
    phase: str
    share: float
    message: str
    faults: list[FaultOut]
    reading: ReadingOut | None
    rows: int | None


class ContainerOut(Answer):
    """A container's part of a request."""

    name: str
    role: Literal["regular", "init", "sidecar"]
    cpu: str
    memory: str
    cpu_limit: str
    memory_limit: str


class LevelCountOut(Answer):
    """Replicas at a level, and how many were wanted before a bound cut them."""

    replicas: int
    wanted: int


class LevelCountsOut(Answer):
    """Counts at every level."""

    trough: LevelCountOut
    usual: LevelCountOut
    peak: LevelCountOut
    grown: LevelCountOut


class FactOut(Answer):
    """One thing that follows from a row, with its derivation; ``care`` where it needs a look."""

    label: str
    value: str
    why: str
    care: bool


class WorkloadDetailOut(Answer):
    """Everything known of one row."""

    key: UUID
    cells: dict[str, str]
    containers: list[ContainerOut]
    levels: LevelCountsOut
    facts: list[FactOut]
    origin: str
    request_from: str
    asked_cpu: str | None
    asked_memory: str | None


class LevelOut(Answer):
    """The demand of one level, summed."""

    level: LevelName
    hours: float
    replicas: int
    cpu_millicores: int
    memory_bytes: int


class LevelRow(Answer):
    """One workload over the levels."""

    key: UUID
    name: str
    basis: Literal["fixed", "range", "rate", "queue", "usage"]
    why: str
    counts: LevelCountsOut


class LevelsOut(Answer):
    """Demand levels of a study as a variant sees them."""

    levels: list[LevelOut]
    rows: list[LevelRow]
    shares: dict[str, int]
    growth_percent: int


class EventIn(Body):
    """A planned event."""

    name: Annotated[str, Field(max_length=120)]
    first: Annotated[str, Field(max_length=10)]
    last: Annotated[str, Field(max_length=10)]
    factor: float


class StudyChange(Body):
    """Choices of a study; what is left out stays."""

    growth_percent: Annotated[int, Field(ge=0, le=1000)] = 0
    level_shares: dict[Literal["trough", "usual", "peak"], Annotated[int, Field(ge=0, le=100)]] = {}
    events: Annotated[list[EventIn], Field(max_length=100)] = []


class UsageSetOut(Answer):
    """A set of series that was read."""

    id: int
    status: Literal["queued", "running", "done", "failed"]
    phase: str
    share: float
    message: str
    faults: list[FaultOut]
    origin: str
    window: str
    step_s: int
    steps: int
    samples: int
    workloads: int
    without: list[str]
    gaps: float
    resets: int
    left_out: list[UnderstoodOut]
    read_by: str
    read_at: datetime
    taken: bool


class ProposalOut(Answer):
    """A proposal for one workload's request."""

    key: UUID
    name: str
    owner: str
    replicas: int
    replicas_then: int
    cpu_now: str
    memory_now: str
    cpu_then: str
    memory_then: str
    cpu_used_millicores: float | None
    memory_used_bytes: float | None
    cpu_now_millicores: int
    memory_now_bytes: int
    cpu_then_millicores: int
    memory_then_bytes: int
    cpu_over_now: float | None
    cpu_over_then: float | None
    memory_over_now: float | None
    memory_over_then: float | None
    most_over_limit: float | None
    caution: str
    saves_per_month: str
    sized: bool


class CoincidenceOut(Answer):
    """Peaks one by one and together."""

    group: str
    workloads: int
    sum_of_peaks: float
    peak_of_sum: float
    at: datetime
    measured_share: float


class SizingOut(Answer):
    """Proposals for every measured workload, and what taking all would save."""

    usage: UsageSetOut | None
    rows: list[ProposalOut]
    floor_now: str
    floor_then: str
    per_vcpu: str
    per_gib: str
    coincidence: list[CoincidenceOut]
    faults: list[str]


class PolicyIn(Schema):
    """How a request follows from use."""

    cpu_percentile: Annotated[float, Field(ge=1, le=100)] = 95
    definition: Definition = "nearest rank"
    cpu_margin_percent: Percent = 15
    memory_margin_percent: Percent = 15


class SizeIn(PolicyIn):
    """Proposals to take; no keys: all."""

    model_config = Body.model_config

    keys: list[Key] = []


class KeysIn(Body):
    """Rows; none named: all."""

    keys: list[Key] = []


class FollowIn(KeysIn):
    """What rows follow from measured use."""

    what: Literal["levels", "growth"]
    trend: Trend = "robust"
    horizon_days: Annotated[int, Field(ge=7, le=730)] = 120


class ChangedOut(Answer):
    """How many rows changed."""

    rows: int


class SeriesOut(Answer):
    """Use through time, thinned for a picture: the largest of each bucket; null for a gap."""

    start_s: int
    step_s: int
    cpu: list[float | None]
    memory: list[float | None]


class DayOut(Answer):
    """A day's peak: measured, or expected with its band."""

    day: date
    peak: float | None
    low: float | None
    high: float | None


class ForecastOut(Answer):
    """Daily peaks of CPU, measured and to come, in cores."""

    name: str
    measured: list[DayOut]
    ahead: list[DayOut]
    limit: float | None
    limit_why: str
    slope_per_week: float
    growth_percent: int
    weekday: list[float]
    daily: list[float]
    reached: date | None
    reached_high: date | None
    caution: str


class GrowthRow(Answer):
    """One workload's growth and when its limit is met."""

    key: UUID | None
    name: str
    slope_per_week: float
    peak: float
    growth_percent: int
    limit: float | None
    reached: date | None
    reached_high: date | None
    caution: str


class DemandGrowthOut(Answer):
    """Where demand is heading."""

    rows: list[GrowthRow]
    chosen: ForecastOut | None
    events: list[EventIn]
    horizon_days: int


class RunningPool(Answer):
    """Nodes of one type in one zone that run now."""

    instance_type: str
    zone: str
    nodes: int
    price_per_month: str | None
    cpu_requested: float
    memory_requested: float


class RunningRow(Answer):
    """One workload that runs in other numbers than the sheet says."""

    name: str
    running: int
    usual: int
    peak: int


class RunningOut(Answer):
    """What runs now, beside what the fit would run."""

    origin: str
    read_at: datetime
    nodes: int
    replicas: int
    waiting: int
    pools: list[RunningPool]
    cost_per_month: str | None
    unpriced: int
    fit_per_month: str | None
    fit_nodes: int | None
    unknown: list[str]
    differs: list[RunningRow]
    currency: str


class IntakeIn(Body):
    """A short form, as typed."""

    study_id: int
    typed: dict[Annotated[str, Field(max_length=20)], Annotated[str, Field(max_length=253)]]
    note: Annotated[str, Field(max_length=1000)] = ""


class IntakeOutlookOut(Answer):
    """What a request would add to the bill at today's marginal price."""

    currency: str
    cost_per_month: str
    promise_per_month: str
    reasons: list[str]
    filled: list[str]
    replicas: LevelReplicas
    request: str


class IntakeStepOut(Answer):
    """One line of a request's history."""

    at: datetime
    who: str
    status: Literal["pending", "taken", "declined", "withdrawn"]
    words: str


class IntakeOut(Answer):
    """A request for capacity."""

    id: int
    name: str
    asked_by: str
    mine: bool
    asked_at: datetime
    form: dict[str, str]
    note: str
    outlook: IntakeOutlookOut
    status: Literal["pending", "taken", "declined", "withdrawn"]
    study_id: int | None
    study: str
    steps: list[IntakeStepOut]


class DecisionIn(Body):
    """What becomes of a request."""

    status: Literal["taken", "declined", "withdrawn"]
    words: Annotated[str, Field(max_length=1000)] = ""
