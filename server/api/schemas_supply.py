"""What the API takes and gives of supply, house rules and money."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal

from pydantic import Field

from api.answer import Answer
from api.schemas import (
    EditState,
    FaultOut,
    FitOut,
    Limit,
    Name,
    RegionOut,
    RunOut,
    StudyOut,
    Survival,
    VariantOut,
    WorkloadOut,
)
from api.schemas_availability import FailuresIn, FigureOut
from api.strict import Body

Purchase = Literal["on-demand", "interruptible", "committed"]
Quantity = Annotated[str, Field(max_length=40)]
Percent = Annotated[str, Field(max_length=12)]
Short = Annotated[str, Field(max_length=80)]


class MatrixType(Answer):
    """A type's row; ``offers`` are (place of the zone, place of the purchase, price an hour, quota, in stock)."""

    name: str
    family: str
    vcpu: int
    memory_bytes: int
    architecture: str
    accelerators: int
    most_pods: int
    usable_cpu_millicores: int
    usable_memory_bytes: int
    usable_pods: int
    offers: list[tuple[int, int, str, int | None, bool]]


class MatrixOut(Answer):
    """What is offered where in a region, prices in the study's currency."""

    region: RegionOut
    zones: list[str]
    purchases: list[Purchase]
    currency: str
    house_families: list[str]
    types: list[MatrixType]


class StepOut(Answer):
    """One fall from capacity to usable."""

    name: str
    kind: Literal["keeps", "daemon"]
    cpu_millicores: int
    memory_bytes: int
    pods: int


class RoomOut(Answer):
    """Amounts at a level of the fall."""

    cpu_millicores: int
    memory_bytes: int
    pods: int


class TypeOfferOut(Answer):
    """An offer in full, prices in the study's currency."""

    zone: str
    purchase: Purchase
    price_per_hour: str
    price_per_month: str
    most_nodes: int | None
    interruptions_per_hour: str | None
    in_stock: bool


class SubstituteOut(Answer):
    """A type that could stand in: how many times as much it has and costs."""

    name: str
    cpu_ratio: float
    memory_ratio: float
    price_ratio: float
    price_per_hour: str


class MissingOut(Answer):
    """A zone where the type is not to be had, and what comes nearest there."""

    zone: str
    why: str
    nearest: list[SubstituteOut]


class TypeDetailOut(Answer):
    """One type: from capacity to usable, every offer, and substitutes where it is missing."""

    name: str
    family: str
    architecture: str
    vcpu: int
    accelerators: int
    disk_bytes: int
    most_volumes: int | None
    network_mbps: int | None
    resources: dict[str, int]
    capacity: RoomOut
    steps: list[StepOut]
    allocatable: RoomOut
    usable: RoomOut
    offers: list[TypeOfferOut]
    missing: list[MissingOut]


class RegionOutlook(Answer):
    """A region for the same demand: what is sold, what is missing, and floors a month (null: no plan)."""

    region: RegionOut
    is_present: bool
    everywhere: int
    missing: list[str]
    floor_per_month: str | None
    without_promise_per_month: str | None
    reasons: list[str]


class TermOut(Answer):
    """A price beside the offers: of a disk, a tier or a fee, in the list's currency."""

    kind: Literal["disk", "tier", "fee", "commitment", "per use", "quota", "version"]
    name: str
    price: str
    unit: str


class EditionOut(Answer):
    """A dated price list; terms are given for the newest only."""

    id: int
    dated: date
    currency: str
    source: str
    taken_at: datetime
    taken_by: str | None
    types: int
    offers: int
    carried_over: list[str]
    terms: list[TermOut]
    studies: list[str]


class ReadMissing(Answer):
    """A region that could not be read."""

    region: str
    why: str


class ListChangeOut(Answer):
    """One difference between two editions."""

    kind: str
    subject: str
    before: str
    after: str


class ListReadingOut(Answer):
    """A price list being read, or waiting to be taken."""

    id: int
    provider: str
    source: str
    status: Literal["queued", "running", "ready", "partial", "failed", "taken", "discarded"]
    phase: str
    share: float
    pages: int
    retries: int
    message: str
    missing: list[ReadMissing]
    started_by: str
    created_at: datetime
    dated: str | None
    changes: list[ListChangeOut]
    change_count: int


class ProviderOut(Answer):
    """A provider with its editions, newest first, and its last reading."""

    id: int
    name: str
    has_service: bool
    editions: list[EditionOut]
    reading: ListReadingOut | None


class ListFileIn(Body):
    """A price list as text; what CSV cannot say stands beside it."""

    form: Literal["json", "csv"]
    text: str
    provider: Short = ""
    currency: Annotated[str, Field(max_length=3)] = ""
    dated: Annotated[str, Field(max_length=10)] = ""


class TierOut(Answer):
    """A tier of control plane; fee in the study's currency."""

    name: str
    members: int
    uptime_percent: str | None
    spans_zones: bool
    fee_per_month: str


class VersionOut(Answer):
    """A minor version that is sold, and the day from which it is no longer supported (null: not stated)."""

    version: str
    ends: date | None


class ProviderAsksOut(Answer):
    """What the provider of a variant's region says of ranges, names and versions."""

    lost_per_range: int | None
    one_route_table: bool
    longest_name: int | None
    name_prefix: str
    versions: list[VersionOut]


class AcceptedOut(Answer):
    """Why a finding was accepted, by whom and when."""

    why: str
    who: str
    at: datetime


class MendOut(Answer):
    """An edit that mends a finding: in words, cells of the demand sheet by row, or members of the control plane."""

    words: str
    cells: dict[str, dict[str, str]]
    control_plane_members: Literal[1, 3, 5] | None


class FindingOut(Answer):
    """What a rule of pre-flight finds: how grave, when it would have struck, where to look, and what would fix it."""

    code: str
    level: Literal["stop", "care", "note"]
    when: str
    place: str
    text: str
    fix: str
    accepted: AcceptedOut | None
    accepted_by: Literal["nobody", "planner", "lead"]
    mend: MendOut | None


class FindingIn(Body):
    """A finding as it was sent."""

    code: Annotated[str, Field(max_length=40)]
    text: Annotated[str, Field(max_length=4000)]


class AcceptIn(FindingIn):
    """A finding that is accepted, and why."""

    why: Annotated[str, Field(max_length=400)]


class PrerequisiteOut(Answer):
    """Something that must exist before the build, who owns it, and whether it is there."""

    code: str
    what: str
    why: str
    owner: str
    done: bool


class DeviationOut(Answer):
    """Where a variant leaves a house rule, with who said why."""

    rule: str
    asked: str
    chosen: str
    allowed: bool
    why: str
    who: str
    at: datetime | None


class NewsOut(Answer):
    """A newer price list, and what it would make of the present nodes."""

    dated: str
    region_id: int | None
    changes: int
    cost_now: str | None
    cost_then: str | None
    missing: list[str]


class RateOut(Answer):
    """The rate a study's prices were converted by."""

    currency: str
    worth: str
    base: str
    dated: date
    source: str


class RateSheetOut(Answer):
    """Rates of a day."""

    id: int
    dated: date
    base: str
    worth: dict[str, str]
    source: str


class UseRatesIn(Body):
    """The sheet of rates that a study is to use."""

    sheet_id: int


class RatesIn(Body):
    """Rates to state for a day."""

    dated: Annotated[str, Field(max_length=10)]
    base: Annotated[str, Field(max_length=3)] = "EUR"
    worth: dict[Annotated[str, Field(max_length=3)], Annotated[str, Field(max_length=24)]]
    source: Name = ""


class SliceIn(Body):
    """A share of the next slice of capacity; no width: all the rest."""

    width: Quantity | None
    percent: Percent


class AmountsIn(Body):
    """CPU and memory, as quantities: ``250m``, ``512Mi``."""

    cpu: Quantity
    memory: Quantity


class ReservationIn(Body):
    """What every node keeps for itself."""

    kubelet: AmountsIn
    system: AmountsIn
    eviction_memory: Quantity
    eviction_percent: Percent = "0"
    cpu_slices: Annotated[list[SliceIn], Field(max_length=12)] = []
    memory_slices: Annotated[list[SliceIn], Field(max_length=12)] = []
    per_pod: AmountsIn


class RulesChange(Body):
    """House rules to set; what is left out stays."""

    survive_zone: Survival = "none"
    fewest_nodes_per_pool: Limit | None = None
    most_pods_per_node: Limit | None = None
    most_pools: Limit | None = None
    control_plane_members: Literal[1, 3, 5] | None = None
    purchases: list[Purchase] = []
    families: list[Short] = []
    regions: list[Annotated[str, Field(max_length=170)]] = []
    required_labels: list[Annotated[str, Field(max_length=253)]] = []
    architecture: Annotated[str, Field(max_length=40)] = ""
    reservation: ReservationIn | None = None
    sign_off_above: Annotated[str, Field(max_length=20)] | None = None
    currency: Annotated[str, Field(pattern=r"^[A-Z]{3}$")] = "EUR"
    open_rules: list[Short] = []
    intake_cpu: Annotated[str, Field(max_length=20)] = "250m"
    intake_memory: Annotated[str, Field(max_length=20)] = "512Mi"
    intake_per_replica: Annotated[float, Field(gt=0, lt=1e9)] = 25.0
    failures: FailuresIn = FailuresIn()
    care_accepted_by: Literal["planner", "lead"] = "planner"
    kept_answers: Annotated[int, Field(ge=1, le=1000)] = 20
    kept_days: Annotated[int, Field(ge=0, le=3650)] = 90


class RulesOut(Answer):
    """House rules as they stand, and what they could name."""

    survive_zone: Survival
    fewest_nodes_per_pool: int | None
    most_pods_per_node: int | None
    most_pools: int | None
    control_plane_members: int | None
    purchases: list[Purchase]
    families: list[str]
    regions: list[str]
    required_labels: list[str]
    architecture: str
    reservation: ReservationIn
    sign_off_above: str | None
    currency: str
    open_rules: list[str]
    intake_cpu: str
    intake_memory: str
    intake_per_replica: float
    care_accepted_by: Literal["planner", "lead"]
    kept_answers: int
    kept_days: int
    figures: list[FigureOut]
    stated_by: str | None
    stated_at: datetime | None
    known_families: list[str]
    known_regions: list[str]
    example: list[StepOut]


class BenchOut(Answer):
    """Everything the bench shows of one variant."""

    study: StudyOut
    yours: Literal["reader", "editor", "owner"]
    variant: VariantOut
    region: RegionOut | None
    workloads: list[WorkloadOut]
    edits: EditState
    faults: list[FaultOut]
    fit: FitOut | None
    fit_is_current: bool
    run: RunOut | None
    tiers: list[TierOut]
    provider_asks: ProviderAsksOut
    fees_per_month: str
    findings: list[FindingOut]
    deviations: list[DeviationOut]
    news: NewsOut | None
    rate: RateOut | None
