"""What the API says of inquiries: promises priced, types that stand by, conflicts."""

from __future__ import annotations

from decimal import Decimal
from typing import Literal

from ninja import Field

from api.answer import Answer
from api.schemas import LevelName, LevelReplicas, Survival, WorkloadSize
from api.schemas_drills import DrillsOut
from api.schemas_rehearsal import RehearsedOut, SufficingOut
from api.schemas_supply import Purchase
from api.strict import Body

Question = Literal[
    "promises",
    "conflict",
    "levels",
    "steps",
    "sizing",
    "frontier",
    "regions",
    "simulation",
    "drills",
    "rehearsal",
    "limits",
    "per_use",
    "ways",
]


class QuestionIn(Body):
    """What is asked; of steps also what each must save a month for a replica moved and for a node brought."""

    question: Question
    per_move: Decimal = Field(Decimal(2), strict=False, ge=0, le=1_000_000, decimal_places=2)
    per_node: Decimal = Field(Decimal(20), strict=False, ge=0, le=1_000_000, decimal_places=2)


class PriceOut(Answer):
    """What a promise costs a month, what the floors prove of it, and the fit without it."""

    key: str
    words: str
    price: str
    least: str
    most: str
    without: str
    without_floor: str


class AlternativeOut(Answer):
    """Where an instance type stands beside the fit's; prices are by the hour."""

    instance_type: str
    purchase: Purchase
    zone: str
    status: Literal["chosen", "as good", "dearer", "never needed", "carries nothing"]
    nodes: int
    price_per_hour: str
    enters_at_per_hour: str
    dearer: float
    beside: str


class PromisesOut(Answer):
    """Promises dearest first, types nearest first, and by zone what a unit of a resource costs a month at the margin."""

    prices: list[PriceOut]
    types: list[AlternativeOut]
    unit_prices: dict[str, dict[str, float]]


class ConflictOut(Answer):
    """Rules that together leave no fit, and those whose loss alone would make one."""

    rules: list[str]
    to_drop: list[str]
    proved: bool


class LevelFitOut(Answer):
    """One level of a design: its share of the month's hours, what a month of nothing else would cost, and its nodes."""

    level: LevelName
    share: float
    cost: str
    nodes: int


class PoolLimitOut(Answer):
    """Between how many nodes a pool may run in a zone, and which condition set either end."""

    instance_type: str
    purchase: Purchase
    zone: str
    nodes: LevelReplicas
    least: int
    most: int
    least_because: str
    most_because: str


class LeadOut(Answer):
    """What must stay free while a node starts, from measured use, and what is free at the trough."""

    share: float
    percent: float
    within_s: float
    kept_millicores: float
    free_millicores: float


class DesignOut(Answer):
    """One design of pools for all levels: cost and floor of a month with its hours at each level."""

    cost: str
    floor: str
    reasons: list[str]
    levels: list[LevelFitOut]
    lead: LeadOut | None = None
    limits: list[PoolLimitOut]


class ExistingNodeOut(Answer):
    """A node with the replicas on it."""

    name: str
    instance_type: str
    purchase: Purchase
    zone: str
    replicas: dict[str, int]


class MoveOut(Answer):
    """Replicas that go from a node to another; an empty source starts them, an empty target ends them."""

    workload: str
    count: int
    source: str
    target: str


class MigrationStepOut(Answer):
    """One step: what it saves a month, what all nodes cost afterwards, what it does, and which rules are broken then."""

    saving: str
    cost: str
    new: list[ExistingNodeOut]
    gone: list[ExistingNodeOut]
    moves: list[MoveOut]
    moved: int
    broken: list[str]


class EvennessOut(Answer):
    """How full nodes are, as shares: emptiest, mean, fullest, standard deviation."""

    least: float
    mean: float
    most: float
    deviation: float


class MigrationPlanOut(Answer):
    """The way from what runs: its cost a month and broken rules, the steps so far, and what evens nodes out at last."""

    cost_of_change: dict[str, str]
    steps: list[MigrationStepOut]
    cost: str | None
    broken: list[str]
    unsold: list[str]
    unplaced: dict[str, int]
    evening: MigrationStepOut | None
    evenness: list[EvennessOut]


class ChangedSizeOut(Answer):
    """A workload whose size changes: replicas asked for, on top now and before, how it survives now and before, most on a node now."""

    workload: str
    replicas: int
    extra: int
    before: int
    how: Survival
    how_before: Survival
    most_per_node: int | None


class SizedJourneyOut(Answer):
    """What a journey may be down and, exactly over the sized fit, is; minutes a month."""

    name: str
    allowed: float
    downtime: float | None


class RemedyOut(Answer):
    """A change in words, the least minutes a month that can then be had, and whether that is enough."""

    words: str
    least: float
    suffices: bool


class UnreachableOut(Answer):
    """Why a journey's target is out of reach, and the ways out."""

    journey: str
    least: float
    allowed: float
    reasons: list[str]
    remedies: list[RemedyOut]


class TargetSizingOut(Answer):
    """Sizes that meet the targets and the fit they lead to; money a month.

    ``guessed`` is what they were thought to cost more at the prices of the fit before, ``least`` what any that meet the
    targets cost more at those prices; ``exact``: every choice was tried. ``missed`` names the journeys that miss their target
    over the fit found.
    """

    sizes: dict[str, WorkloadSize]
    changed: list[ChangedSizeOut]
    guessed: str
    least: str
    exact: bool
    fits: int
    missed: list[str]
    cost: str | None
    cost_before: str
    journeys: list[SizedJourneyOut]
    unreachable: list[UnreachableOut]
    reasons: list[str]


class FrontierPointOut(Answer):
    """A computed fit of the frontier: cost and floor a month, minutes a month that each journey is down, replicas.

    ``gives_up`` names the workloads that survive the loss of a zone less strictly than is promised.
    """

    index: int
    cost: str
    floor: str
    downtime: dict[str, float]
    replicas: int
    sizes: dict[str, WorkloadSize]
    gives_up: list[str]


class FrontierOut(Answer):
    """The points known so far, by their index among the budgets, and the indices that have no fit."""

    points: dict[str, FrontierPointOut]
    unfit: list[int]


class AcrossOut(Answer):
    """A journey over regions: minutes a month and a year, switches and seconds of data lost a year."""

    minutes: float
    minutes_year: float
    switches_per_year: float
    lost_data_s_per_year: float


class RegionPlanOut(Answer):
    """A way to work over regions: its cost a month (none: a region has no fit), and its journeys."""

    together: Literal["one region", "one stands by", "all serve"]
    regions: list[str]
    bears: list[float]
    cost: str | None
    journeys: dict[str, AcrossOut]
    reasons: list[str]


class RegionTimesOut(Answer):
    """What lies between regions: share of time that the entry is down, and seconds."""

    entry_away: float
    redirect_s: float
    switch_s: float
    lag_s: float
    first_share: float | None


class RegionsOut(Answer):
    """Ways so far, and the regions in which the demand cannot be stated."""

    plans: list[RegionPlanOut]
    left_out: list[str]
    times: RegionTimesOut


class PlayedOut(Answer):
    """A journey played by chance beside its exact figure; minutes a month, the half width of the 95 % interval."""

    name: str
    exact: float
    mean: float
    half_width: float | None
    holds: bool
    outages_per_year: float
    batches: int


class SimulationOut(Answer):
    """Years played, and what they show."""

    years: float
    journeys: list[PlayedOut]


class PerUseChoiceOut(Answer):
    """A workload per use and on nodes; ``share``: of the hours for which a replica is billed; ``moved``: replicas per use in the mixture.

    ``healthy``: smallest share of its replicas that serve while all are replaced; ``replaced_whole``: what it costs more to miss none.
    """

    workload: str
    offer: str
    cpu_millicores: int
    memory_bytes: int
    price_per_hour: Decimal
    share: float
    on_nodes: Decimal
    per_use: Decimal
    even_at: float
    moved: int
    healthy: float
    replaced_whole: Decimal


class PerUseOut(Answer):
    """What may run per use, where it pays, and the cheaper mixture; ``after`` is null where none was computed, and ``reason`` says why."""

    choices: list[PerUseChoiceOut]
    left_out: dict[str, str]
    before: Decimal
    after: Decimal | None
    floor_after: Decimal | None
    reason: str
    even_at: float


class WayOut(Answer):
    """A way to carry the demand: what it costs a month (null: no plan was found, and why), its types and nodes."""

    way: Literal["more nodes", "larger nodes", "more CPU", "any of them"]
    types: list[str]
    cost: str | None
    floor: str | None
    nodes: int
    why: str


class WaysOut(Answer):
    """The ways that are known, how many workloads stand with requests as they were measured, and the types that the plan uses."""

    measured: int
    ways: list[WayOut]
    used: list[str]


class InquiryOut(Answer):
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
    ahead: int
    worker_alive: bool
    promises: PromisesOut | None
    conflict: ConflictOut | None
    levels: DesignOut | None
    steps: MigrationPlanOut | None
    sizing: TargetSizingOut | None
    frontier: FrontierOut | None
    regions: RegionsOut | None
    simulation: SimulationOut | None
    drills: DrillsOut | None
    rehearsal: RehearsedOut | None
    limits: SufficingOut | None
    per_use: PerUseOut | None
    ways: WaysOut | None
