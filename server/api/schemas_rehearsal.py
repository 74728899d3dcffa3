"""What the API says of rehearsals: what is rehearsed, limits of pools, what was shown through time and at a moment."""

from __future__ import annotations

from decimal import Decimal
from typing import Annotated, Any, Literal

from ninja import Schema
from pydantic import Field

from api.answer import Answer
from api.strict import Body

Purchase = Literal["on-demand", "interruptible", "committed"]
Name = Annotated[str, Field(max_length=520)]
Time = Annotated[str, Field(max_length=32)]
Minutes = Annotated[int, Field(ge=1, le=132_480)]
Count = Annotated[int, Field(ge=0, le=100_000)]


class BurstIn(Body):
    """Replicas commanded at a time, for some minutes or (left out) for good."""

    at: Time
    workload: Name
    count: Annotated[int, Field(ge=1, le=100_000)]
    minutes: Minutes | None = None


class OutageIn(Body):
    """Something that goes wrong from a time on, for some minutes."""

    kind: Literal["zone", "stock", "interruptions"]
    at: Time
    minutes: Minutes
    zone: Annotated[str, Field(max_length=200)] = ""
    instance_type: Annotated[str, Field(max_length=200)] = ""
    per_hour: Annotated[float, Field(ge=0, le=1000)] = 0.0


class ScenarioIn(Body):
    """What a study rehearses."""

    words: Annotated[str, Field(max_length=1000)]
    start: Time
    days: Annotated[int, Field(ge=1, le=92)]
    most_late_percent: Annotated[float, Field(ge=0, le=100)]
    bursts: Annotated[list[BurstIn], Field(max_length=200)] = []
    outages: Annotated[list[OutageIn], Field(max_length=100)] = []

    def plain(self) -> dict[str, Any]:
        """Return it as it is stored."""
        return self.model_dump()


class BurstOut(Answer):
    """Replicas commanded at a time, for some minutes or for good (null)."""

    at: str
    workload: str
    count: int
    minutes: int | None = None


class OutageOut(Answer):
    """Something that goes wrong from a time on, for some minutes."""

    kind: Literal["zone", "stock", "interruptions"]
    at: str
    minutes: int
    zone: str = ""
    instance_type: str = ""
    per_hour: float = 0.0


class ScenarioOut(Answer):
    """What a study rehearses."""

    words: str
    start: str
    days: int
    most_late_percent: float
    bursts: list[BurstOut]
    outages: list[OutageOut]


class StatedLimitIn(Body):
    """Between how many nodes a pool runs in a zone, and how many nodes' room of it is kept free."""

    instance_type: Annotated[str, Field(max_length=200)]
    purchase: Purchase
    zone: Annotated[str, Field(max_length=200)]
    least: Count
    most: Count
    kept_back: Count = 0


class StatedLimitsIn(Body):
    """The limits of all pools of a variant; none: those of its design of all levels hold."""

    limits: Annotated[list[StatedLimitIn], Field(max_length=5000)]


class StatedLimitOut(Answer):
    """Between how many nodes a pool runs in a zone, and how many nodes' room of it is kept free."""

    instance_type: str
    purchase: Purchase
    zone: str
    least: int
    most: int
    kept_back: int


class StatedLimitsOut(Answer):
    """The limits that hold for a variant, and where they come from."""

    origin: Literal["stated", "levels", "fit"]
    limits: list[StatedLimitOut]


class PoolRangeOut(Answer):
    """Fewest and most nodes, and how many nodes' room is kept free."""

    least: int
    most: int
    kept_back: int


class OfferOut(Answer):
    """What a pool in a zone is of."""

    instance_type: str
    purchase: Purchase
    zone: str


class StretchOut(Answer):
    """From when to when, seconds from the start."""

    from_s: int
    to_s: int


class OfOffer(Schema):
    """Something of an offer, which the core names by three values in a row."""

    offer: OfferOut

    @staticmethod
    def resolve_offer(value: Any) -> dict[str, str]:
        """Return the three values by their names."""
        return dict(zip(("instance_type", "purchase", "zone"), map(str, value.offer), strict=True))


class PoolPlayedOut(OfOffer):
    """How a pool ran in a zone; nodes are means of each sample, the stretch is from when to when it was longest at its most (seconds)."""

    range: PoolRangeOut
    nodes: list[float]
    most_seen: int
    least_seen: float
    node_hours: float
    cost: Decimal
    at_most_min: float
    at_least_min: float | None
    stretch: StretchOut | None

    @staticmethod
    def resolve_stretch(value: Any) -> dict[str, int] | None:
        """Return its ends by their names."""
        return None if value.stretch is None else {"from_s": value.stretch[0], "to_s": value.stretch[1]}


class WorkloadPlayedOut(Answer):
    """How a workload fared; demand in replica-hours' worth."""

    workload: str
    asked: float
    served: float
    lost: float
    late: float
    waiting: float
    waited_min: float
    longest_s: int
    longest_at_s: int
    long_waits: int
    placed: int
    moved: int


class WorthALookOut(Answer):
    """A time with a word on why it is worth a look."""

    at_s: int
    words: str


class OutcomeOut(Answer):
    """What a rehearsal showed through time; lists have an entry for each sample."""

    seed: int
    start_s: int
    sample_s: int
    reached_s: int
    asked: list[float]
    served: list[float]
    lost: list[float]
    wished: list[float]
    serving: list[float]
    waiting: list[float]
    cost: list[float]
    pools: list[PoolPlayedOut]
    workloads: list[WorkloadPlayedOut]
    bursts_s: list[int | None]
    started: int
    stopped: int
    refused: int
    interrupted: int
    total: Decimal
    planned: Decimal
    bottleneck: str
    moments: list[WorthALookOut]
    stood: int | None


class SeedPlayedOut(Answer):
    """What a rehearsal of one seed showed."""

    seed: int
    late_share: float
    lost_share: float
    waited_min: float
    longest_s: int
    started: int
    cost: Decimal


class JourneyPlayedOut(Answer):
    """The share of a journey's demand that was lost, that of the block that lost most."""

    journey: str
    lost_share: float
    block: str


class RehearsedOut(Answer):
    """What is known of a rehearsal: the first seed in full, every seed in short."""

    outcome: OutcomeOut | None
    seeds: dict[str, SeedPlayedOut]
    burst_cost: Decimal | None
    journeys: list[JourneyPlayedOut]


class LimitFoundOut(OfOffer):
    """A limit of a pool in a zone, and which condition set each end and the room kept free (empty: none is)."""

    range: PoolRangeOut
    least_because: str
    most_because: str
    kept_because: str


class RiseOut(Answer):
    """How far demand rises within so many seconds: the percentile of all such spans, as a share of the most asked."""

    within_s: int
    percentile: float
    share: float


class TrialOut(Answer):
    """Limits that were tried: what they cost, what was late, and a word on what they are."""

    cost: Decimal
    late_share: float
    waited_min: float
    words: str


class SufficingOut(Answer):
    """Limits under which the promise was kept, or why there are none."""

    limits: list[LimitFoundOut]
    held: int
    runs: int
    sure_percent: float
    cost: Decimal
    before: Decimal
    trials: list[TrialOut]
    rise: RiseOut | None
    reason: str


class StandingNodeOut(OfOffer):
    """A node at a moment, with the replicas bound to it and serving there by workload."""

    state: Literal["starting", "up", "draining", "dark"]
    bound: dict[str, int]
    serving: dict[str, int]


class StandingOut(Answer):
    """What stands at a moment, and the replicas that wait by workload."""

    at_s: int
    nodes: list[StandingNodeOut]
    waiting: dict[str, int]


class RehearsalRunOut(Answer):
    """A rehearsal that was asked for: when, what was rehearsed, and what its first seed showed (null: nothing yet)."""

    id: int
    asked_at: str
    status: Literal["queued", "running", "done", "failed"]
    words: str
    days: int
    late_share: float | None
    cost: Decimal | None
