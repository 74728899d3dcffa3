"""What the API takes and gives; the contract is written from these."""

from __future__ import annotations

from datetime import date, datetime
from typing import Annotated, Literal
from uuid import UUID

from pydantic import Field

from api.answer import Answer
from api.strict import Body

Survival = Literal["none", "standing", "landing", "growing"]
Kind = Literal["replicated", "stateful", "daemon", "job"]
LevelName = Literal["trough", "usual", "peak", "grown"]
Name = Annotated[str, Field(max_length=120, pattern=r"^[^\x00-\x1f]*$")]
Key = Annotated[UUID, Field(strict=False)]
Limit = Annotated[int, Field(ge=1, le=10_000)]


class FaultOut(Answer):
    """One thing wrong: where, what, and what would fix it."""

    code: str
    path: str
    reason: str
    fix: str
    line: int = 0
    column: int = 0


class ProblemOut(Answer):
    """An error, as RFC 9457 asks."""

    type: str
    title: str
    status: int
    code: str
    faults: list[FaultOut]


class VariantRef(Answer):
    """A variant in a list."""

    id: int
    name: str
    is_reference: bool
    note: str
    came_from: int | None


class StudyOut(Answer):
    """A study in the list."""

    id: int
    name: str
    organisation: str
    currency: str
    rates_id: int | None
    growth_percent: int
    measured: bool
    rehearses: bool
    listed: bool
    workloads: int
    replicas: int
    variants: list[VariantRef]
    created_at: datetime


class StudyIn(Body):
    """A new study."""

    name: Name
    organisation: Name = ""


class DeleteIn(Body):
    """The name of what is to be deleted, typed."""

    name: Name


class StudyName(Answer):
    """A study to ask capacity of."""

    id: int
    name: str


class VariantIn(Body):
    """A new variant, copied from another."""

    name: Annotated[str, Field(max_length=80, pattern=r"^[^\x00-\x1f]*$")]


class RegionOut(Answer):
    """A region with its zones."""

    id: int
    provider: str
    name: str
    note: str
    currency: str
    dated: date
    zones: list[str]
    types: int


class FamilyRule(Body):
    """What is asked of the nodes of a family: a taint they carry, the most of them in the region and in a zone."""

    taint: Annotated[str, Field(max_length=330)] = ""
    most_nodes: Annotated[int, Field(ge=0, le=100_000)] | None = None
    most_in_zone: Annotated[int, Field(ge=0, le=100_000)] | None = None


class WorkloadSize(Body):
    """What a workload is sized to: replicas on top of those asked for, how it survives the loss of a zone, most on a node, by zone."""

    extra: Annotated[int, Field(ge=0, le=10_000)]
    how: Survival
    most_per_node: Annotated[int, Field(ge=1, le=100_000)] | None = None
    stands: Annotated[
        dict[Annotated[str, Field(max_length=100)], Annotated[int, Field(ge=0, le=100_000)]], Field(max_length=50)
    ] = {}


class BeyondIn(Body):
    """Other regions to look at, and what lies between: the entry's availability in percent, and seconds."""

    region_ids: Annotated[list[int], Field(max_length=4)] = []
    entry: Annotated[str, Field(max_length=20)] = "99.99"
    redirect_s: Annotated[float, Field(ge=0, le=86_400)] = 60
    switch_s: Annotated[float, Field(ge=0, le=86_400)] = 900
    lag_s: Annotated[float, Field(ge=0, le=86_400)] = 30
    first_percent: Annotated[int, Field(ge=1, le=99)] | None = None


class ArrangeIn(Body):
    """Name, note, place among the variants (0 is the first), or whether it is the reference; what is left out stays."""

    name: Annotated[str, Field(max_length=80)] = ""
    note: Annotated[str, Field(max_length=400)] = ""
    place: Annotated[int, Field(ge=0, le=1000)] = 0
    is_reference: bool = False


class TakeOverIn(Body):
    """The variant whose change is taken over, which of its choices (none named: all), and why a house rule is left."""

    source_id: int
    only: Annotated[list[Annotated[str, Field(max_length=40)]], Field(max_length=50)] = []
    why: Annotated[str, Field(max_length=400)] = ""


class FeeCount(Body):
    """By what a fee of the price list is counted, and how many; of GiB: in a month. Of traffic 0 counts what rows state alone."""

    per: Literal["vcpu", "node", "zone", "study", "out", "crossing"]
    count: Annotated[int, Field(ge=0, le=100_000_000)] = 1


class BesideIn(Body):
    """What is paid beside nodes: a root disk on each (GiB, 0: none is counted), what zonal volumes are, fees by name, and nodes committed to already.

    ``held`` by instance type, ``held_until``: the day on which that commitment ends; ``trial_ends``: the day on which a cluster goes that is
    only a trial (empty: it is none). Of a change what is left out stays; of what is stated by name only the entries sent change, and null
    takes one away.
    """

    disk: Annotated[str, Field(max_length=80)] = ""
    disk_gib: Annotated[int, Field(ge=0, le=65_536)] = 0
    volume: Annotated[str, Field(max_length=80)] = ""
    fees: dict[Annotated[str, Field(max_length=80)], FeeCount | None] = {}
    held: dict[Annotated[str, Field(max_length=80)], Annotated[int, Field(ge=1, le=100_000)] | None] = {}
    held_until: dict[Annotated[str, Field(max_length=80)], Annotated[str, Field(max_length=10)] | None] = {}
    trial_ends: Annotated[str, Field(max_length=10)] = ""


class BesideStated(Answer):
    """What is paid beside nodes, as it is stated."""

    disk: str = ""
    disk_gib: int = 0
    volume: str = ""
    fees: dict[str, FeeCount] = {}
    held: dict[str, int] = {}
    held_until: dict[str, str] = {}
    trial_ends: str = ""


class NamedRange(Body):
    """A range of addresses and what it is."""

    range: Annotated[str, Field(max_length=60)]
    name: Annotated[str, Field(max_length=120)] = ""


class RangeToday(Body):
    """A range that a cluster has today: what it carries, and in which zone (empty: services)."""

    role: Literal["nodes", "pods", "public", "services"]
    zone: Annotated[str, Field(max_length=80)] = ""
    range: Annotated[str, Field(max_length=60)]


class AddressesIn(Body):
    """What is stated about addresses: the parent ranges, what is in use elsewhere, how pods get theirs, what else needs some; left out: it stays."""

    parent: Annotated[str, Field(max_length=60)] = ""
    parent6: Annotated[str, Field(max_length=60)] = ""
    used: Annotated[list[NamedRange], Field(max_length=5000)] = []
    pods: Literal["blocks", "flat"] = "blocks"
    twice: bool = True
    services: int = 1000
    public: bool = False
    gateways: int = 1
    load_balancers: int = 1
    lost: int | None = None
    surge: int = 1
    today: Annotated[list[RangeToday], Field(max_length=500)] = []


class MatchIn(Body):
    """Texts that must be equal in two places."""

    what: Annotated[str, Field(max_length=40)]
    one: Annotated[str, Field(max_length=253)] = ""
    other: Annotated[str, Field(max_length=253)] = ""


class DoneIn(Body):
    """Who owns a prerequisite, and whether it is there."""

    owner: Annotated[str, Field(max_length=120)] = ""
    done: bool = False


class NeededIn(Body):
    """Something that nodes fetch while they join, and the zones where it can be had (none named: all)."""

    what: Annotated[str, Field(max_length=40)]
    zones: Annotated[list[Annotated[str, Field(max_length=80)]], Field(max_length=50)] = []


class AccessIn(Body):
    """Who may do what in which namespace (empty: everywhere), and until when (empty: until it is taken away)."""

    who: Annotated[str, Field(max_length=120)]
    may: Literal["look", "change", "own"] = "look"
    namespace: Annotated[str, Field(max_length=63)] = ""
    until: Annotated[str, Field(max_length=10)] = ""


class BuildIn(Body):
    """What is stated about the build: names, versions, how the API is reached, texts that must match, what is done; left out: it stays."""

    cluster: Annotated[str, Field(max_length=120)] = ""
    version_now: Annotated[str, Field(max_length=40)] = ""
    version_to: Annotated[str, Field(max_length=40)] = ""
    version_nodes: Annotated[str, Field(max_length=40)] = ""
    version_ends: Annotated[str, Field(max_length=10)] = ""
    private_api: bool = False
    way_in: Annotated[str, Field(max_length=120)] = ""
    matches: Annotated[list[MatchIn], Field(max_length=50)] = []
    domain: Annotated[str, Field(max_length=253)] = ""
    needed: Annotated[list[NeededIn], Field(max_length=50)] = []
    route_tables: Annotated[
        dict[Annotated[str, Field(max_length=80)], Annotated[str, Field(max_length=80)]], Field(max_length=50)
    ] = {}
    access: Annotated[list[AccessIn], Field(max_length=200)] = []
    done: dict[Annotated[str, Field(max_length=60)], DoneIn] = {}


class VariantChange(Body):
    """Choices to set; what is left out stays."""

    region_id: int | None = None
    zones: list[Annotated[str, Field(max_length=80)]] = []
    survive_zone: Survival = "none"
    lost_nodes: Annotated[int, Field(ge=0, le=20)] = 0
    survive_nodes: Survival = "landing"
    most_pools: Limit | None = None
    fewest_nodes_per_pool: Limit | None = None
    fewest_nodes_per_zone: Limit | None = None
    equal_zones: bool = False
    headroom: dict[Literal["cpu_millicores", "memory_bytes"], Annotated[int, Field(ge=0, le=60)]] = {}
    headroom_replicas: Annotated[int, Field(ge=0, le=100)] = 0
    most_pods_per_node: Limit | None = None
    purchases: list[Literal["on-demand", "interruptible", "committed"]] = []
    families: list[Annotated[str, Field(max_length=80)]] = []
    family_rules: dict[Annotated[str, Field(max_length=80)], FamilyRule] = {}
    control_plane_members: Literal[1, 3, 5] = 1
    tier: Annotated[str, Field(max_length=80)] = ""
    budget_per_month: Annotated[str, Field(max_length=20)] | None = None
    level: LevelName = "peak"
    sizes: Annotated[dict[Annotated[str, Field(max_length=510)], WorkloadSize], Field(max_length=10_000)] = {}
    beyond: BeyondIn = BeyondIn()
    beside: BesideIn = BesideIn()
    addresses: AddressesIn = AddressesIn()
    build: BuildIn = BuildIn()
    why: Annotated[str, Field(max_length=400)] = ""


class LevelReplicas(Answer):
    """Replicas at every level."""

    trough: int
    usual: int
    peak: int
    grown: int


class WorkloadOut(Answer):
    """One row of the demand sheet; amounts exact, and as they are written."""

    key: str
    namespace: str
    name: str
    kind: Kind
    replicas: int
    cpu_millicores: int
    memory_bytes: int
    cpu: str
    memory: str
    zone_skew: int | None
    most_per_node: int | None
    node_labels: str
    owner: str
    promised: bool
    labels: str
    interruptible: str
    journey: str
    service: str
    together: str
    basis: Literal["fixed", "range", "rate", "queue", "usage"]
    counts: LevelReplicas
    cut: bool
    sized: bool


class DemandEdit(Body):
    """Cells as typed, by row key and column; rows to remove; by the key of a new row that of the one it comes after."""

    cells: dict[Key, dict[str, Annotated[str, Field(max_length=2000)]]] = {}
    removed: list[Key] = []
    copies: dict[Key, Annotated[list[Annotated[str, Field(max_length=253)]], Field(max_length=50)]] = {}
    after: dict[Key, Key] = {}


class TakenOut(Answer):
    """How many rows were taken."""

    rows: int


class RunOut(Answer):
    """A fit being computed, and how many answers it has stored: a quick one where it can, then the whole one."""

    id: int
    status: Literal["queued", "running", "done", "failed"]
    phase: str
    share: float
    cost_per_month: str
    floor_per_month: str
    stop_requested: bool
    message: str
    answers: int
    ahead: int
    worker_alive: bool


class NodeOut(Answer):
    """Nodes of a fit that are alike: ``count`` of them, numbered from ``number`` on."""

    number: int
    count: int
    instance_type: str
    purchase: str
    zone: str
    usable: dict[str, int]
    requested: dict[str, int]
    replicas: dict[str, int]
    landing: dict[str, dict[str, int]]
    arriving: dict[str, dict[str, int]]


class PoolOut(Answer):
    """One pool of a fit."""

    instance_type: str
    purchase: str
    nodes: dict[str, int]
    cost_per_month: str
    binding: str
    used: dict[str, float]
    free: dict[str, float]


class NewNodesOut(Answer):
    """Nodes of one kind to buy when a zone is lost."""

    instance_type: str
    purchase: str
    zone: str
    count: int


class GrowthOut(Answer):
    """What is bought when a zone is lost, and what it costs an hour while it runs."""

    nodes: list[NewNodesOut]
    cost_per_hour: str


class FitOut(Answer):
    """A finished fit in figures.

    ``floor_per_month`` is the solver's, ``proved_per_month`` what the prices in the solution file prove of it to anybody; none for
    a quick answer.
    """

    id: int
    status: Literal["optimal", "feasible", "stopped", "infeasible", "unknown"]
    currency: str
    cost_per_month: str
    floor_per_month: str
    cost_per_hour: str
    floor_per_hour: str
    proved_per_month: str | None
    gap: float
    survive_zone: Survival
    lost_nodes: int
    survive_nodes: Survival
    zones: list[str]
    left_out: list[str]
    nodes: list[NodeOut]
    pools: list[PoolOut]
    zone_cost_per_month: dict[str, str]
    workload_cost_per_month: dict[str, str]
    room_left: dict[str, float]
    reasons: list[str]
    growth: dict[str, GrowthOut]
    limits: dict[str, int | None]
    seconds: float
    seed: int
    core_version: str
    created_at: datetime


class VariantOut(Answer):
    """A variant's choices."""

    id: int
    name: str
    is_reference: bool
    region_id: int | None
    zones: list[str]
    survive_zone: Survival
    lost_nodes: int
    survive_nodes: Survival
    most_pools: int | None
    fewest_nodes_per_pool: int | None
    fewest_nodes_per_zone: int | None
    equal_zones: bool
    headroom: dict[str, int]
    headroom_replicas: int
    most_pods_per_node: int | None
    purchases: list[str]
    families: list[str]
    family_rules: dict[str, FamilyRule]
    sold_families: list[str]
    control_plane_members: int
    tier: str
    budget_per_month: str | None
    level: LevelName
    sizes: dict[str, WorkloadSize]
    beyond: BeyondIn
    beside: BesideStated
    addresses: AddressesIn
    build: BuildIn


class EditState(Answer):
    """What undo and redo would do, and the edits that they mean."""

    undo: str | None
    redo: str | None
    undo_id: int | None
    redo_id: int | None


class AuditOut(Answer):
    """One line of the trail."""

    at: datetime
    actor: str
    action: str
    subject: str
