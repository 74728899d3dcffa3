"""The availability of journeys, evaluated jointly over the zones and nodes that their blocks share.

A journey's table has a row for every joint state of the zones and, within it, for no node lost besides and for every
node lost alone (nodes are never multiplied apart: blocks on the same node fall together). In a row the blocks are
independent, as only their own replicas are left to fail, so the structure is evaluated exactly. What two or more nodes
lost at once add is bounded from the exact availability of every block: the figure includes all that they could add, and
``bound_slack`` says how much of it that is.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from rombel.availability.counts import Floats, fewer_of, fewer_up
from rombel.availability.domains import (
    Situation,
    dependency_unavailability,
    region_unavailability,
    situations,
    unavailability_without_region,
    workload_unavailability,
)
from rombel.availability.domains import common_failure as common_of
from rombel.model.failure import FailureData, FailureKind
from rombel.model.journey import Block, Dependency, Journey, Part, blocks_of
from rombel.model.placement import Placement


@dataclass(frozen=True, slots=True)
class Loss:
    """What a cause or a block brings: the downtime that would go if it never failed, and its share of all such."""

    name: str
    removes: float
    share: float


@dataclass(frozen=True, slots=True)
class JourneyResult:
    """What a journey's promise comes to.

    Parameters
    ----------
    name
        Of the journey.
    unavailability
        Share of time in which it is down; never below the exact one.
    bound_slack
        How far the exact one can lie below.
    allowed
        What its target allows.
    causes
        By failure domain and dependency, the gravest first.
    blocks
        By block, the gravest first.
    alone
        By block: its unavailability, taken alone.

    """

    name: str
    unavailability: float
    bound_slack: float
    allowed: float
    causes: tuple[Loss, ...]
    blocks: tuple[Loss, ...]
    alone: Mapping[str, float]

    @property
    def met(self) -> bool:
        """Return whether the target is met."""
        return self.unavailability <= self.allowed


@dataclass(frozen=True, slots=True)
class _Rows:
    """The joint states in rows: for each state of the zones no node lost besides, then every node lost alone.

    Parameters
    ----------
    states
        The states of the zones.
    of
        By row: number of its state.
    chances
        By row: its probability within that state. What is missing to one are two or more nodes lost at once.
    lost
        Rows by workloads: replicas lost with the node.

    """

    states: tuple[Situation, ...]
    of: NDArray[np.int64]
    chances: Floats
    lost: NDArray[np.int64]

    @property
    def weights(self) -> Floats:
        """Return by state the share of time."""
        return np.array([entry.state.weight for entry in self.states])

    @property
    def untouched(self) -> NDArray[np.bool_]:
        """Return by row whether no node is lost besides the zones."""
        return np.asarray(np.diff(self.of, prepend=-1) > 0)

    @property
    def beyond(self) -> Floats:
        """Return by state the probability that two or more nodes are lost at once."""
        return np.maximum(0.0, 1 - np.bincount(self.of, self.chances, minlength=len(self.states)))


@dataclass(frozen=True)
class Evaluation:
    """Everything that the journeys of a placement are read from; made once, shared by all of them.

    Parameters
    ----------
    placement, data, dependencies
        What was given.
    rows
        The joint states.
    unavailability
        Rows by workloads: probability that it is down.
    rest
        States by workloads: probability that it is down with two or more nodes lost at once.

    """

    placement: Placement
    data: FailureData
    dependencies: Mapping[str, Dependency]
    rows: _Rows
    unavailability: Floats
    rest: Floats

    @cached_property
    def alone(self) -> Mapping[str, float]:
        """Return by workload its unavailability, exactly."""
        # By exact conditioning: time in each state, chance of each row, and what lies beyond the rows.
        inside = (
            self.rows.weights[self.rows.of] * self.rows.chances
        ) @ self.unavailability + self.rows.weights @ self.rest
        whole = region_unavailability(self.data)
        return {name: whole + (1 - whole) * float(inside[n]) for n, name in enumerate(self.placement.workloads)}

    def missing(self, journey: Journey) -> list[str]:
        """Return the blocks that neither stand in the placement nor are dependencies."""
        return [n for n in blocks_of(journey.chain) if n not in self._columns and n not in self.dependencies]

    def unavailability_of(self, journey: Journey) -> tuple[float, float]:
        """Return the journey's unavailability, never below the exact one, and how far below that can lie."""
        return self.read(journey.chain, _plain)

    def unavailability_given(self, journey: Journey, down: Mapping[str, bool]) -> float:
        """Return the unavailability given which outside dependencies are down, all regions' common cause left out."""
        return self.read(journey.chain, View(given=down))[0]

    def without_region(self, journey: Journey) -> float:
        """Return what a journey is down while every region is: all of the time, but for what stands outside."""
        return float(structure(journey.chain, lambda name: self._without_region(name, _plain)))

    def result(self, journey: Journey) -> JourneyResult:
        """Return the journey's figures with its causes and blocks."""
        unavailability, bound_slack = self.unavailability_of(journey)
        names = list(dict.fromkeys(blocks_of(journey.chain)))
        causes = [(cause, self._without(journey.chain, cause)) for cause in _CAUSES]
        causes += [(n, self.read(journey.chain, View(block=n))[0]) for n in names if n in self.dependencies]
        # A link's loss is what would go if it never failed, all else as it is.
        blocks = [(name, self.read(journey.chain, View(block=name))[0]) for name in names]
        # A dependency has no exact figure of its own in the table, and is read as a chain of one.
        alone = {name: self.alone.get(name, 0.0) or self.read(Block(name), _plain)[0] for name in names}
        return JourneyResult(
            journey.name,
            unavailability,
            bound_slack,
            journey.allowed,
            _losses(unavailability, causes),
            _losses(unavailability, blocks),
            alone,
        )

    def _without(self, chain: Part, cause: str) -> float:
        # Replicas fail inside every row, so a world without their failures needs tables of its own.
        evaluation = self.perfect_replicas if cause == REPLICAS else self
        return evaluation.read(chain, View(cause=cause))[0]

    @cached_property
    def perfect_replicas(self) -> Evaluation:
        """Return the same as if no replica ever failed by itself."""
        failures = {
            **self.data.failures,
            FailureKind.REPLICA: replace(self.data.failures[FailureKind.REPLICA], per_year=0.0),
        }
        return _filled(self.placement, replace(self.data, failures=failures), self.dependencies, self.rows)

    @cached_property
    def _columns(self) -> Mapping[str, int]:
        return {name: index for index, name in enumerate(self.placement.workloads)}

    def read(self, chain: Part, view: View) -> tuple[float, float]:
        """Return the unavailability and the slack, seen without a cause or a block."""
        weights, chances = view.weights(self.rows), view.chances(self.rows)
        unavailability = structure(chain, lambda name: self._leaf(name, view))
        rest = most_of_tail(chain, lambda name: self._tail(name, view))
        # The table is computed once; a journey is one weighted sum over it.
        inside = float((weights[self.rows.of] * chances) @ np.broadcast_to(unavailability, chances.shape))
        # The bound of what was left out is added, so that the figure is never below the exact one.
        slack = float(weights @ rest)
        whole = view.whole(self.data)
        # While everything here is down at once only what stands outside counts; the rest of the time is as computed above.
        without_region = float(structure(chain, lambda name: self._without_region(name, view)))
        return min(1.0, (1 - whole) * (inside + slack) + whole * without_region), (1 - whole) * slack

    def _leaf(self, name: str, view: View) -> Floats:
        """Return by row the probability that a block is down."""
        if name == view.block:
            return np.zeros(1)
        if view.given is not None and name in view.given:
            return np.array([float(view.given[name])])
        if name in self._columns:
            return self.unavailability[:, self._columns[name]]
        return self._by_state(name)[self.rows.of]

    def _by_state(self, name: str) -> Floats:
        """Return by state the probability that a dependency is down."""
        entry, zones = self.dependencies[name], self.placement.zones
        return np.array(
            [dependency_unavailability(entry, zones, situation.state.lost) for situation in self.rows.states]
        )

    def _tail(self, name: str, view: View) -> Floats:
        """Return by state the probability that a block is down with two or more nodes lost at once."""
        if name == view.block or view.cause == NODES:
            # With one cause gone there is nothing beyond the rows to add for it.
            return np.zeros(len(self.rows.states))
        if name in self._columns:
            return self.rest[:, self._columns[name]]
        given = None if view.given is None else view.given.get(name)
        return self.rows.beyond * (self._by_state(name) if given is None else float(given))

    def _without_region(self, name: str, view: View) -> Floats:
        """Return what a block is down while the whole region is: everything but what stands outside."""
        if name == view.block:
            return np.zeros(())
        if view.given is not None and name in view.given:
            return np.asarray(float(view.given[name]))
        return np.asarray(unavailability_without_region(self.dependencies.get(name)))


REPLICAS, NODES, ZONES, TOGETHER, REGION = "replicas", "nodes", "single zones", "all zones at once", "the region"
_CAUSES = (REPLICAS, NODES, ZONES, TOGETHER, REGION)


@dataclass(frozen=True, slots=True)
class View:
    """A way to read the table as if one cause or one block never failed, or with outside dependencies given."""

    cause: str = ""
    block: str = ""
    given: Mapping[str, bool] | None = None

    def weights(self, rows: _Rows) -> Floats:
        """Return by state the share of time."""
        # Without failures of single zones only the state with all zones up is left.
        if self.cause != ZONES:
            return rows.weights
        return np.array([0.0 if entry.state.lost else 1.0 for entry in rows.states])

    def chances(self, rows: _Rows) -> Floats:
        """Return by row its probability within its state."""
        return rows.untouched.astype(np.float64) if self.cause == NODES else rows.chances

    def whole(self, data: FailureData) -> float:
        """Return the share of time in which everything here is down at once."""
        if self.cause == TOGETHER:
            return data.failures[FailureKind.REGION].unavailability
        if self.given is not None:
            # What all regions share is a cause of its own there; here only the region's own failures are left.
            region = data.failures[FailureKind.REGION]
            alone = replace(data, failures={**data.failures, FailureKind.REGION: region.thinned(1 - data.region_beta)})
            return region_unavailability(alone)
        return common_of(data).unavailability if self.cause == REGION else region_unavailability(data)


_plain = View()


def structure(part: Part, leaf: Callable[[str], Floats]) -> Floats:
    """Return the unavailability of a structure of independent parts; elementwise where leaves are arrays."""
    if isinstance(part, Block):
        return leaf(part.name)
    return fewer_of(part.needed, [structure(inner, leaf) for inner in part.parts])


def most_of_tail(part: Part, tail: Callable[[str], Floats]) -> Floats:
    """Return the most that rare states can add, from what they add to every block, whatever their dependence.

    A structure that needs ``k`` of ``n`` is down only while ``n - k + 1`` parts are, so the sum of their shares divided
    by that bounds it (Markov); where all must fail, none can be rarer than the rarest.
    """
    if isinstance(part, Block):
        return tail(part.name)
    # A series is down with any of its parts, so their shares can at most add up.
    shares = [most_of_tail(inner, tail) for inner in part.parts]
    # Any of them is enough, so all must be down together.
    if part.needed == 1:
        return np.asarray(np.minimum.reduce(shares))
    # Markov's inequality: at least ``n - k + 1`` of them must be down at once.
    return np.asarray(sum(shares) / (len(shares) - part.needed + 1))


def _losses(unavailability: float, found: Sequence[tuple[str, float]]) -> tuple[Loss, ...]:
    """Return what each brings, the gravest first; shares of what all of them would take away one by one."""
    # Causes overlap, so what each would remove alone sums to less than the whole; shares are of that sum.
    removes = {name: max(0.0, unavailability - rest) for name, rest in found}
    whole = sum(removes.values())
    losses = [Loss(name, gone, gone / whole if whole else 0.0) for name, gone in removes.items()]
    return tuple(sorted(losses, key=lambda loss: (-loss.removes, loss.name)))


def evaluate(placement: Placement, data: FailureData, dependencies: Sequence[Dependency] = ()) -> Evaluation:
    """Return the tables of a placement, from which any journey over its workloads is read."""
    states = tuple(situations(placement, data))
    parts = [_rows_of(entry) for entry in states]
    # Rows of all states lie one after the other; ``of`` says which state each one belongs to.
    of = np.repeat(np.arange(len(states)), [len(chances) for _, chances in parts])
    rows = _Rows(states, of, np.concatenate([part[1] for part in parts]), np.concatenate([part[0] for part in parts]))
    return _filled(placement, data, {entry.name: entry for entry in dependencies}, rows)


def _filled(placement: Placement, data: FailureData, dependencies: Mapping[str, Dependency], rows: _Rows) -> Evaluation:
    """Return the evaluation with how likely each workload is down, by row and beyond the rows."""
    needed = [workload.needed for workload in placement.workloads.values()]
    own = data.failures[FailureKind.REPLICA].unavailability
    stands = np.array([entry.counts.sum(axis=0) for entry in rows.states]).reshape(len(rows.states), len(needed))
    left = stands[rows.of] - rows.lost
    unavailability, rest = np.empty(left.shape), np.empty(stands.shape)
    for column, number in enumerate(needed):
        # Few different counts are left anywhere: one table of probabilities serves all rows.
        table = np.array([fewer_up(count, number, own) for count in range(int(left[:, column].max(initial=0)) + 1)])
        unavailability[:, column] = table[left[:, column]]
        # The exact figure needs no rows: it is a convolution for each workload alone.
        exact = np.array([workload_unavailability(entry, column, number, data) for entry in rows.states])
        # The rows know no node lost, or one; two and more are what is left to the exact figure of the workload alone.
        bound_slack = np.bincount(rows.of, rows.chances * unavailability[:, column], minlength=len(rows.states))
        rest[:, column] = np.maximum(0.0, exact - bound_slack)
    return Evaluation(placement, data, dependencies, rows, unavailability, rest)


def _rows_of(situation: Situation) -> tuple[NDArray[np.int64], Floats]:
    """Return what is lost and how likely, for no node lost besides the zones and for each lost alone, window by window.

    A node lost is down from those of its workloads whose window has not passed; nodes with the same load are one row.
    """
    # Nodes that carry the same and fail alike share their rows.
    kinds: Counter[tuple[tuple[int, ...], tuple[float, ...]]] = Counter(
        (tuple(load), tuple(shares))
        for load, shares in zip(situation.counts.tolist(), situation.shares.tolist(), strict=True)
        if any(load)
    )
    # The first row: no node is lost besides the zones.
    losses, odds, none = [np.zeros(situation.counts.shape[1], dtype=np.int64)], [1.0], 0.0
    for (load, shares), number in kinds.items():
        counts, until = np.array(load), np.array(shares)
        # Windows end one after the other: between two ends the same workloads are still down.
        edges = sorted(set(until[counts > 0].tolist()))
        # Sums of logarithms: a thousand nodes that are each up nearly always would lose digits in a product.
        none += number * math.log1p(-edges[-1])
        for before, edge in zip([0.0, *edges], edges, strict=False):
            # Up to this edge those workloads are down whose window is at least as long.
            losses.append(np.where(until >= edge, counts, 0))
            # The chance that this one is down just so long, given that none is, times how many there are.
            odds.append(number * (edge - before) / (1 - edges[-1]))
    return np.array(losses), np.array(odds) * math.exp(none)
