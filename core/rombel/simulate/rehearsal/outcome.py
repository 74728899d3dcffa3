"""What a rehearsal showed: what was served and what waited, nodes and cost through time, and what stood in the way."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from datetime import UTC, datetime
from decimal import Decimal

import numpy as np

from rombel.model.fit_problem import OfferKey, Purchase
from rombel.model.fit_solution import FitSolution
from rombel.model.rehearsal import PoolRange, Rehearsal
from rombel.simulate.cluster import counted
from rombel.simulate.rehearsal import _tables
from rombel.simulate.rehearsal._tables import Floats, Ints, State, Tally, World
from rombel.simulate.rehearsal.building import MILLIONTHS, Stage

HOUR_S = 3600


@dataclass(frozen=True, slots=True)
class WorkloadOutcome:
    """How a workload fared.

    ``asked``, ``served``, ``lost``, ``late`` and ``waiting`` are in replica-hours' worth: what a replica bears in an hour at full capacity; late counts
    what waited too long, the lost included, and ``waiting`` what waits at the end. ``waited_min`` are pod-minutes without a node,
    ``longest_s`` and ``longest_at_s`` the longest wait for one and when it began, ``long_waits`` how many replicas waited too long.
    """

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

    @property
    def unserved_share(self) -> float:
        """Return the share of what was asked that was lost."""
        return self.lost / self.asked if self.asked else 0.0


@dataclass(frozen=True, slots=True)
class PoolOutcome:
    """How a pool ran in a zone.

    Its limits, mean nodes of each sample, most and least seen, node-hours run, what they cost, minutes at its most while replicas waited, the
    longest such stretch, and minutes at its least (None: not counted). A committed pool's least is paid for whether it runs or not.
    """

    offer: OfferKey
    range: PoolRange
    nodes: tuple[float, ...]
    most_seen: int
    least_seen: float
    node_hours: float
    cost: Decimal
    at_most_min: float
    stretch: tuple[int, int] | None
    at_least_min: float | None = None


@dataclass(frozen=True, slots=True)
class MomentWorthALook:
    """A time with a word on why."""

    at_s: int
    words: str


@dataclass(frozen=True, slots=True)
class RehearsalOutcome:
    """What a rehearsal showed.

    Parameters
    ----------
    seed, start_s, sample_s, reached_s
        Of which seed; when it started (seconds since 1970), how long a sample is, and how far it was played.
    asked, served, lost
        (S,) mean replicas' worth of demand in each sample.
    wished, serving, waiting
        (S,) mean replicas.
    cost
        (S,) paid in each sample.
    pools, workloads
        By offer and by workload, in the order of the problem.
    bursts_s
        Seconds from each burst until all its replicas ran; None: they did not.
    started, stopped, refused, interrupted
        Nodes.
    total, planned
        What the nodes cost, and what those of the solution would have cost in that time.
    bottleneck
        In words what stood in the way most; empty: nothing waited.
    moments
        Worth looking at, in the order of time.
    stood
        Replicas of the solution that stands at the start: more of them use what the solution keeps free for losses. None: not counted.

    """

    seed: int
    start_s: int
    sample_s: int
    reached_s: int
    asked: tuple[float, ...]
    served: tuple[float, ...]
    lost: tuple[float, ...]
    wished: tuple[float, ...]
    serving: tuple[float, ...]
    waiting: tuple[float, ...]
    cost: tuple[float, ...]
    pools: tuple[PoolOutcome, ...]
    workloads: tuple[WorkloadOutcome, ...]
    bursts_s: tuple[int | None, ...]
    started: int
    stopped: int
    refused: int
    interrupted: int
    total: Decimal
    planned: Decimal
    bottleneck: str
    moments: tuple[MomentWorthALook, ...]
    stood: int | None = None

    @property
    def waited_min(self) -> float:
        """Return the pod-minutes without a node."""
        return sum(entry.waited_min for entry in self.workloads)

    @property
    def longest(self) -> WorkloadOutcome | None:
        """Return the workload of which a replica waited longest for a node; None: none waited."""
        found = max(self.workloads, key=lambda entry: entry.longest_s, default=None)
        return found if found is not None and found.longest_s else None

    def share(self, kind: str) -> float:
        """Return the share of all demand that was ``lost`` or ``late``."""
        asked = sum(entry.asked for entry in self.workloads)
        return sum(getattr(entry, kind) for entry in self.workloads) / asked if asked else 0.0


def outcome(
    stage: Stage,
    world: World,
    state: State,
    tally: Tally,
    rehearsal: Rehearsal,
    solution: FitSolution,
    *,
    seed: int,
    reached_s: int,
) -> RehearsalOutcome:
    """Return what has been counted until a time, with names."""
    sample = rehearsal.params.sample_s
    # Seconds of each sample that were played: the last may be cut off, and those after it were never reached.
    passed = np.clip(reached_s - sample * np.arange(len(tally.through)), 0, sample)
    kept = passed > 0
    # Nothing is divided by no time; such samples are not kept anyhow.
    spans: Floats = np.maximum(passed, 1).astype(np.float64)
    paid = _paid(stage, world, tally, passed)
    pools = tuple(_pools(stage, tally, paid, spans, kept))
    workloads = tuple(_workloads(stage, world, state, tally))
    mean = {name: _means(tally.through[:, column], spans, kept) for name, column in THROUGH.items()}
    waiting = tally.waiting_s.sum(axis=1)
    hours = Decimal(reached_s) / HOUR_S
    return RehearsalOutcome(
        seed=seed,
        start_s=rehearsal.start_s,
        sample_s=sample,
        reached_s=reached_s,
        **mean,
        waiting=_means(waiting, spans, kept),
        cost=tuple((paid.sum(axis=1)[kept] / (MILLIONTHS * HOUR_S)).tolist()),
        pools=pools,
        workloads=workloads,
        bursts_s=tuple(
            # Below 0 stands for a burst whose replicas did not all run by the end.
            None if done < 0 else int(done) - burst.at_s
            for done, burst in zip(tally.burst.tolist(), rehearsal.bursts, strict=True)
        ),
        started=int(tally.churn[_tables.STARTED]),
        stopped=int(tally.churn[_tables.STOPPED]),
        refused=int(tally.churn[_tables.REFUSED]),
        interrupted=int(tally.churn[_tables.INTERRUPTED]),
        total=sum((pool.cost for pool in pools), Decimal(0)),
        # Zones are paid for whether nodes run there or not, so that they are in neither of the two that are compared.
        planned=(nodes_per_hour(stage, solution) * hours).quantize(Decimal("0.000001")),
        bottleneck=_bottleneck(pools, waiting, rehearsal.start_s),
        moments=tuple(_moments(stage, tally, waiting, sample, pools)),
        stood=sum(batch.count * sum(batch.replicas.values()) for batch in solution.nodes),
    )


def nodes_per_hour(stage: Stage, solution: FitSolution) -> Decimal:
    """Return what the nodes of a solution cost an hour."""
    prices = {entry.key(offer): offer.price_per_hour for entry, offer in stage.offers}
    return sum((prices[batch.offer] * batch.count for batch in solution.nodes), Decimal(0))


THROUGH = {
    "asked": _tables.WORTH_ASKED,
    "served": _tables.WORTH_SERVED,
    "lost": _tables.WORTH_LOST,
    "wished": _tables.WISHED_S,
    "serving": _tables.SERVING_S,
}
"""What is told through time, and its column."""


def _means(sums: Floats | Ints, spans: Floats, kept: np.ndarray) -> tuple[float, ...]:
    return tuple((sums / spans)[kept].tolist())


def _paid(stage: Stage, world: World, tally: Tally, passed: Ints) -> Ints:
    """Return (S, J) what is paid in each sample: whole seconds times whole millionths an hour."""
    committed = np.array([int(offer.purchase is Purchase.COMMITTED) for _, offer in stage.offers], np.int64)
    own = np.array([int(offer.price_per_hour * MILLIONTHS) for _, offer in stage.offers], np.int64)
    # What is committed is paid for all the time at its own price, whether it runs or not.
    held = committed * world.offer[:, _tables.LEAST] * np.clip(passed, 0, None)[:, None]
    # Seconds when fewer ran than are committed are added, so that they are not paid twice nor taken off others.
    beyond = tally.node_s + committed * tally.short_s - held
    paid: Ints = held * own + beyond * world.offer[:, _tables.PRICE]
    return paid


def _pools(stage: Stage, tally: Tally, paid: Ints, spans: Floats, kept: np.ndarray) -> Iterator[PoolOutcome]:
    for j, (key, pool) in enumerate(zip(stage.keys, stage.ranges, strict=True)):
        seconds = int(tally.node_s[:, j].sum())
        means = (tally.node_s[:, j] / spans)[kept]
        # Exact: whole seconds times whole millionths, divided once.
        cost = Decimal(int(paid[:, j].sum())) / (MILLIONTHS * HOUR_S)
        yield PoolOutcome(
            key,
            pool,
            tuple(means.tolist()),
            int(tally.peak[j]),
            # The starting value is what no mean exceeds, as an empty row has no least.
            float(means.min(initial=np.inf)) if len(means) else 0.0,
            seconds / HOUR_S,
            cost.quantize(Decimal("0.000001")),
            int(tally.at_most_s[:, j].sum()) / 60,
            _stretch(tally.at_most_s[:, j], int(spans.max(initial=1.0))),
            int(tally.at_least_s[:, j].sum()) / 60,
        )


def _stretch(seconds: Ints, sample: int) -> tuple[int, int] | None:
    """Return from when to when a pool stood at its most for longest while replicas waited, to a sample."""
    best, begin = None, None
    # A 0 at the end closes a stretch that lasts until the end.
    for s, value in enumerate([*seconds.tolist(), 0]):
        if value and begin is None:
            begin = s
        if not value and begin is not None:
            if best is None or s - begin > best[1] - best[0]:
                best = (begin, s)
            begin = None
    return None if best is None else (best[0] * sample, best[1] * sample)


def _workloads(stage: Stage, world: World, state: State, tally: Tally) -> Iterator[WorkloadOutcome]:
    for i, workload in enumerate(stage.workloads):
        row, own = world.workload[i], tally.workload[i]
        worth = np.zeros(5)
        for k in range(row[_tables.FIRST_LOAD], row[_tables.LAST_LOAD]):
            # In work as it was stated; divided by what a replica bears, loads of different units can be added up.
            sums = [*tally.load[k].tolist(), int(state.backlog[k].sum())]
            worth += np.array(sums) / int(world.load[k, _tables.CAPACITY]) / HOUR_S
        asked, served, lost, late, waiting = worth.tolist()
        yield WorkloadOutcome(
            workload.name,
            asked,
            served,
            lost,
            late,
            waiting,
            int(own[_tables.WAITED_S]) / 60,
            int(own[_tables.LONGEST]),
            int(own[_tables.LONGEST_AT]),
            int(own[_tables.LONG_WAITS]),
            int(own[_tables.PLACED]),
            int(own[_tables.MOVED]),
        )


def _bottleneck(pools: tuple[PoolOutcome, ...], waiting: Ints, start_s: int) -> str:
    """Return what stood in the way: the pool that was longest at its most while replicas waited, or the time that nodes take."""
    if not waiting.any():
        return ""
    worst = max(pools, key=lambda pool: pool.at_most_min, default=None)
    # No limit stood in the way, then: what was waited for is a node's start.
    if worst is None or worst.at_most_min == 0:
        return "Replicas waited for nodes to start; no pool stood at its maximum."
    name, _, zone = worst.offer
    when = datetime.fromtimestamp(start_s + (worst.stretch[0] if worst.stretch else 0), UTC)
    return (
        f"{name} in {zone} stood at its maximum of {counted(worst.range.most, 'node')} for {worst.at_most_min:.0f} min while replicas waited, "
        f"longest on {when:%A}, {when.day} {when:%B}."
    )


def _moments(
    stage: Stage, tally: Tally, waiting: Ints, sample: int, pools: tuple[PoolOutcome, ...]
) -> Iterator[MomentWorthALook]:
    """Yield what is worth a look, in the order of time; of a stretch its beginning."""
    found: list[MomentWorthALook] = []
    long = [i for i, row in enumerate(tally.workload) if row[_tables.LONG_WAITS]]
    if long:
        # The first of any workload; the longest one, below, is often another's.
        first = min(long, key=lambda i: int(tally.workload[i, _tables.FIRST_LONG]))
        at = int(tally.workload[first, _tables.FIRST_LONG])
        found.append(MomentWorthALook(at, f"first long wait: {stage.workloads[first].name}"))
        most = int(waiting.argmax())
        found.append(MomentWorthALook(most * sample, f"most waiting: {waiting[most] / sample:.1f} on average"))
        longest = int(tally.workload[:, _tables.LONGEST].argmax())
        at, seconds = (int(tally.workload[longest, column]) for column in (_tables.LONGEST_AT, _tables.LONGEST))
        found.append(MomentWorthALook(at, f"longest wait: {stage.workloads[longest].name}, {seconds} s"))
    lost = tally.through[:, _tables.WORTH_LOST]
    if lost.any():
        found.append(MomentWorthALook(int(lost.argmax()) * sample, "most lost"))
    # The pool that stood there longest: others mostly stand at their most at the same time.
    limit = max(pools, key=lambda pool: pool.at_most_min, default=None)
    if limit is not None and limit.stretch is not None:
        found.append(MomentWorthALook(limit.stretch[0], f"at maximum: {limit.offer[0]} in {limit.offer[2]}"))
    yield from sorted(found, key=lambda entry: entry.at_s)


@dataclass(frozen=True, slots=True)
class StandingNode:
    """A node at a moment: its offer, how it stands, and replicas bound to it and serving there, by workload."""

    offer: OfferKey
    state: str
    bound: Mapping[str, int]
    serving: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class Standing:
    """What stands at a moment, and the replicas that wait by workload."""

    at_s: int
    nodes: tuple[StandingNode, ...]
    waiting: Mapping[str, int]


STATES = {
    _tables.STARTING: "starting",
    _tables.REFUSING: "starting",
    _tables.UP: "up",
    _tables.DRAINING: "draining",
    _tables.DARK: "dark",
}


def standing(stage: Stage, state: State, at_s: int) -> Standing:
    """Return what stands now; a node that will be refused is one that is asked for."""
    names, keys = [workload.name for workload in stage.workloads], stage.keys
    nodes = tuple(
        StandingNode(
            keys[int(row[_tables.NODE_OFFER])],
            STATES[int(row[_tables.NODE_STATE])],
            _counts(names, state.bound[number]),
            _counts(names, state.serving[number]),
        )
        for number, row in enumerate(state.node)
        if row[_tables.NODE_STATE] != _tables.GONE
    )
    return Standing(at_s, nodes, _counts(names, state.replica[:, _tables.WAITING]))


def _counts(names: list[str], row: Ints) -> dict[str, int]:
    return {names[i]: int(row[i]) for i in np.flatnonzero(row).tolist()}
