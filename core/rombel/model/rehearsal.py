"""Rehearsals: demand through time, how replicas and nodes follow it, what goes wrong meanwhile, and what is promised to hold."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from rombel.errors import Fault
from rombel.model.demand import Budget
from rombel.model.fit_problem import OfferKey

Amounts = NDArray[np.int64]

# autoscaling/v2 of the Kubernetes API reference; from memory.
LONGEST_WINDOW_S = 3600
"""The longest stabilisation window of the published API."""
LONGEST_PERIOD_S = 1800
"""The longest period of a scaling policy of the published API."""


class Select(StrEnum):
    """Which of several policies counts."""

    MAX = "max"
    MIN = "min"
    DISABLED = "disabled"


@dataclass(frozen=True, slots=True)
class ScalingPolicy:
    """How far a count may change within a period: by so many pods, or by so many percent of what ran when the period began."""

    pods: int | None = None
    percent: int | None = None
    period_s: int = 15


@dataclass(frozen=True, slots=True)
class ScalingRules:
    """One direction of replica autoscaling, as the published API states it.

    Parameters
    ----------
    window_s
        Stabilisation window, 0 to 3600 s.
    policies, select
        How fast the count may change; without a policy it may change at once.
    tolerance_permille
        No change while the metric is within so many thousandths of its target.

    """

    window_s: int = 0
    policies: tuple[ScalingPolicy, ...] = ()
    select: Select = Select.MAX
    tolerance_permille: int = 100


USUAL_UP = ScalingRules(0, (ScalingPolicy(pods=4, period_s=15), ScalingPolicy(percent=100, period_s=15)))
"""Published defaults; that the period is 15 s is from memory, the API's own comment says 60 s."""
USUAL_DOWN = ScalingRules(300, (ScalingPolicy(percent=100, period_s=15),))
"""Published defaults, the period as above."""


@dataclass(frozen=True, slots=True)
class ReplicaScaling:
    """How many replicas a workload may have, and how fast the count follows."""

    least: int
    most: int
    up: ScalingRules = USUAL_UP
    down: ScalingRules = USUAL_DOWN


@dataclass(frozen=True, slots=True, eq=False)
class Load:
    """What is asked of a workload through time, in units a second of its own.

    Parameters
    ----------
    workload
        A workload of the fit problem.
    capacity
        What one serving replica bears, in thousandths of the unit; above 0.
    target
        What autoscaling aims at for each serving replica, in thousandths of the unit; above 0.
    values
        (T,) thousandths of the unit, a step of the rehearsal each; -1 where nothing is known.
    name
        What is asked, where a workload is asked several things.

    """

    workload: str
    capacity: int
    target: int
    values: Amounts
    name: str = ""


@dataclass(frozen=True, slots=True)
class Burst:
    """Replicas that are commanded.

    Parameters
    ----------
    at_s
        Seconds from the start.
    workload, count
        Whose, and how many.
    runs_s
        How long each runs from when it began to serve or, of a workload that scales, how long it has so many more than at ``at_s`` as its
        least; None: for good.

    """

    at_s: int
    workload: str
    count: int
    runs_s: int | None = None


class OutageKind(StrEnum):
    """What is laid over a rehearsal."""

    ZONE = "zone"
    STOCK = "stock"
    INTERRUPTIONS = "interruptions"


@dataclass(frozen=True, slots=True)
class Outage:
    """Something that goes wrong from ``at_s`` for ``lasts_s`` seconds.

    A zone is lost; a type is out of stock in a zone (or, with an empty zone, in all; an empty type means all types); interruptible nodes
    are taken back at ``per_hour`` each.
    """

    kind: OutageKind
    at_s: int
    lasts_s: int
    zone: str = ""
    instance_type: str = ""
    per_hour: float = 0.0


@dataclass(frozen=True, slots=True)
class PoolRange:
    """Between how many nodes a pool runs in a zone, and how many nodes' room of it is kept free for what comes next."""

    least: int
    most: int
    kept_back: int = 0


@dataclass(frozen=True, slots=True)
class RehearsalParams:
    """How long things take, and how often it is looked; whole seconds.

    Parameters
    ----------
    period_s
        Between two looks of replica and node autoscaling.
    look_out_s
        A replica waits so long before a node is ordered for it.
    idle_s
        What a node carries must fit elsewhere for so long before it goes.
    refusal_s, retry_s
        Until a provider without stock says so, and how long such an offer is left alone then.
    node_start_s, node_start_p95_s
        Median of a node's start and the time that one in twenty exceeds (lognormal); None: it is always the median.
    evict_s
        From the loss of a zone until its replicas are given up: detection and toleration.
    place_s
        The scheduler's own time.
    patience_s
        Demand that is not served for so long is lost.
    late_s
        Demand that waits longer counts as late.
    sample_s
        Length of a sample of what is told through time; a multiple of the period.

    """

    period_s: int = 15
    look_out_s: int = 15
    # Ten minutes: common practice, no source.
    idle_s: int = 600
    refusal_s: int = 60
    retry_s: int = 300
    # Three minutes from ordered to ready: common practice, no source.
    node_start_s: int = 180
    node_start_p95_s: int | None = None
    # 40 s until a node counts as lost, and 300 s that replicas tolerate it: usual defaults, from memory.
    evict_s: int = 340
    place_s: int = 5
    patience_s: int = 120
    late_s: int = 60
    sample_s: int = 900


@dataclass(frozen=True, slots=True)
class Rehearsal:
    """All that is played beside a problem and the solution that stands at the start.

    Parameters
    ----------
    start_s
        When it starts, seconds since 1970, UTC.
    step_s, steps
        Length and number of the steps of the loads; the rehearsal lasts their product.
    loads, scalings
        What is asked, and which workloads scale how; a workload that does not scale keeps its replicas.
    ranges
        By offer; an offer that is not named keeps the nodes it has and gets none. Of a committed offer the least is what is committed to: it is
        paid for whether it runs or not, and what runs beyond it is paid on demand where that is sold.
    taken_back
        By interruptible offer how often an hour one node is taken back in usual times; 0 where nothing is known.
    bursts, outages
        What is commanded, and what goes wrong.
    start_ups, budgets, priorities
        By workload: seconds from placed to serving (30 where nothing is stated), disruption budgets, and who is placed first (higher ones).
    params
        How long things take.

    """

    start_s: int
    step_s: int
    steps: int
    loads: tuple[Load, ...] = ()
    scalings: Mapping[str, ReplicaScaling] = field(default_factory=dict)
    ranges: Mapping[OfferKey, PoolRange] = field(default_factory=dict)
    taken_back: Mapping[OfferKey, float] = field(default_factory=dict)
    bursts: tuple[Burst, ...] = ()
    outages: tuple[Outage, ...] = ()
    start_ups: Mapping[str, int] = field(default_factory=dict)
    budgets: Mapping[str, Budget] = field(default_factory=dict)
    priorities: Mapping[str, int] = field(default_factory=dict)
    params: RehearsalParams = field(default_factory=RehearsalParams)

    @property
    def lasts_s(self) -> int:
        """Return how long it lasts."""
        return self.step_s * self.steps


def rules_faults(rules: ScalingRules, path: str) -> Iterator[Fault]:
    """Yield what the published API does not allow in one direction of scaling."""
    if not 0 <= rules.window_s <= LONGEST_WINDOW_S:
        yield Fault(
            "scaling.window",
            f"{path}.window_s",
            f"A stabilisation window is 0 to {LONGEST_WINDOW_S} s, not {rules.window_s} s.",
            "Write seconds in that range.",
        )
    # Thousandths and whole numbers: what is compiled counts without rounding.
    if not 0 <= rules.tolerance_permille <= 1000:
        yield Fault(
            "scaling.tolerance", f"{path}.tolerance", "A tolerance is a share from 0 to 1.", "Write 0.1 for a tenth."
        )
    for number, policy in enumerate(rules.policies):
        place = f"{path}.policies[{number}]"
        if not 1 <= policy.period_s <= LONGEST_PERIOD_S:
            reason = f"A policy's period is 1 to {LONGEST_PERIOD_S} s, not {policy.period_s} s."
            yield Fault("scaling.period", f"{place}.period_s", reason, "Write seconds in that range.")
        # Both together would leave open which of them counts.
        stated = [value for value in (policy.pods, policy.percent) if value is not None]
        if len(stated) != 1 or stated[0] <= 0:
            yield Fault(
                "scaling.policy",
                place,
                "A policy states pods or percent, above 0.",
                "State one of them, such as 4 pods.",
            )


def scaling_faults(scaling: ReplicaScaling, path: str) -> Iterator[Fault]:
    """Yield what keeps a workload from scaling so."""
    if not 0 <= scaling.least <= scaling.most:
        reason = f"The least count {scaling.least} is above the most, {scaling.most}, or below 0."
        yield Fault("scaling.range", f"{path}.least", reason, "State the least first, 0 or more.")
    yield from rules_faults(scaling.up, f"{path}.up")
    yield from rules_faults(scaling.down, f"{path}.down")


def range_faults(pool: PoolRange, path: str) -> Iterator[Fault]:
    """Yield what is wrong with the limits of a pool in a zone."""
    if not 0 <= pool.least <= pool.most:
        reason = f"The least number of nodes, {pool.least}, is above the most, {pool.most}, or below 0."
        yield Fault("limits.range", f"{path}.least", reason, "Lower the least or raise the most.")
    if not 0 <= pool.kept_back <= pool.most:
        yield Fault(
            "limits.kept",
            f"{path}.kept_back",
            f"{pool.kept_back} nodes' room cannot be kept free in a pool of at most {pool.most}.",
            f"State 0 to {pool.most}.",
        )
