"""Failure domains in a steady state: which zones are down, since when, and who is down on which node.

A domain fails at its rate while it works and is repaired after its repair time, independently of the others but for the
common cause; so the share of time in a joint state is a product, and how long ago a zone was lost is spread evenly over
its repair. From that follows, exactly, who has landed elsewhere by then.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from itertools import product

import numpy as np
from numpy.typing import NDArray

from rombel.availability.counts import Floats, fewer_left
from rombel.model.failure import Failure, FailureData, FailureKind
from rombel.model.journey import Dependency, Reach
from rombel.model.placement import PlacedNode, Placement


@dataclass(frozen=True, slots=True)
class ZoneState:
    """Zones down, the seconds since the loss that have passed at least (where one zone is down), and the share of time."""

    lost: frozenset[str]
    after_s: float
    weight: float


def own_failure(data: FailureData) -> Failure:
    """Return how a zone fails by itself; the rest of its failures take all zones."""
    return data.failures[FailureKind.ZONE].thinned(1 - data.zone_beta)


def common_failure(data: FailureData) -> Failure:
    """Return how all zones fail at once (the beta factor of IEC 61508-6, annex D)."""
    return data.failures[FailureKind.ZONE].thinned(data.zone_beta)


def region_unavailability(data: FailureData) -> float:
    """Return the share of time in which the region, or all its zones by a common cause, are down."""
    region, common = data.failures[FailureKind.REGION].unavailability, common_failure(data).unavailability
    # Either of the two takes everything; both at once must not be counted twice.
    return region + common - region * common


def zone_states(zones: Sequence[str], zone: Failure, windows_s: Sequence[float]) -> Iterator[ZoneState]:
    """Yield every joint state of zones that fail by themselves; the weights sum to one.

    Parameters
    ----------
    zones
        Names.
    zone
        How each fails by itself.
    windows_s
        Times after which replicas of a lost zone serve elsewhere. The state with one zone down is told apart by them.

    """
    share = zone.unavailability
    # A window longer than the repair never passes, and would only add an empty state.
    edges = sorted({0.0, *(window for window in windows_s if window < zone.repair_s)})
    for pattern in product((False, True), repeat=len(zones)):
        lost = frozenset(name for name, gone in zip(zones, pattern, strict=True) if gone)
        weight = share ** len(lost) * (1 - share) ** (len(zones) - len(lost))
        # With two zones down nothing lands, so how long ago it was plays no part.
        if len(lost) != 1:
            yield ZoneState(lost, 0.0, weight)
            continue
        for start, end in zip(edges, [*edges[1:], zone.repair_s], strict=True):
            # The time since the loss is uniform over the repair, which is fixed.
            yield ZoneState(lost, start, weight * (end - start) / zone.repair_s)


@dataclass(frozen=True, slots=True)
class Situation:
    """What stands in a joint state of the zones.

    Parameters
    ----------
    state
        The zones.
    counts
        Nodes by workloads: replicas that stand there.
    shares
        Nodes by workloads: share of time in which a replica is down because its node is.

    """

    state: ZoneState
    counts: NDArray[np.int64]
    shares: Floats


def situations(placement: Placement, data: FailureData) -> list[Situation]:
    """Return what stands in every joint state of the zones.

    Where one zone is down, what lands from it has landed once its window has passed. While any zone is down the room
    that is kept free counts as used: replicas of a node lost besides wait for that node.
    """
    names = list(placement.workloads)
    windows = [placement.workloads[name].zone_window_s for name in names]
    return [
        _situation(placement, names, state, data)
        for state in zone_states(placement.zones, own_failure(data), windows)
        if state.weight > 0
    ]


def _situation(placement: Placement, names: Sequence[str], state: ZoneState, data: FailureData) -> Situation:
    nodes = _nodes_in(placement, state)
    column = {name: index for index, name in enumerate(names)}
    counts = np.zeros((len(nodes), len(names)), dtype=np.int64)
    for row, node in enumerate(nodes):
        for name, count in node.replicas.items():
            if name in column:
                counts[row, column[name]] = count
    # Replicas on a lost node wait for its repair while a zone is down: the room of the others is taken by what landed.
    windows = [math.inf if state.lost else placement.workloads[name].node_window_s for name in names]
    shares = {kind: [node_share(data, kind, window) for window in windows] for kind in {node.kind for node in nodes}}
    return Situation(state, counts, np.array([shares[node.kind] for node in nodes]).reshape(counts.shape))


def _nodes_in(placement: Placement, state: ZoneState) -> list[PlacedNode]:
    """Return the nodes that stand, with what has landed on them."""
    # What lands is kept back for one lost zone alone.
    if len(state.lost) != 1:
        return [node for node in placement.nodes if node.zone not in state.lost]
    (lost,) = state.lost
    arrived = {name for name, workload in placement.workloads.items() if workload.zone_window_s <= state.after_s}
    landed = placement.arrivals.get(lost, {})
    found = []
    for number, node in enumerate(placement.nodes):
        if node.zone != lost:
            more = {name: count for name, count in landed.get(number, {}).items() if name in arrived}
            found.append(replace(node, replicas=Counter(node.replicas) + Counter(more)) if more else node)
    for node in placement.grown.get(lost, ()):
        # New nodes exist only once they have started, with what waited for them.
        found.append(replace(node, replicas={n: c for n, c in node.replicas.items() if n in arrived}))
    return found


def dependency_unavailability(entry: Dependency, zones: Sequence[str], lost: Collection[str]) -> float:
    """Return the share of time in which a dependency is down while some of the zones are."""
    # A dependency in one zone goes with it; one spread over zones is down when all of its instances are.
    share = entry.failure.unavailability
    if entry.reach is Reach.ZONAL:
        return 1.0 if entry.zone_in(zones) in lost else share
    if entry.reach is Reach.SPREAD:
        return float(share ** (len(zones) - len(lost)))
    return share


def unavailability_without_region(entry: Dependency | None) -> float:
    """Return what a block is down while the whole region is: all of the time, but for a dependency that stands outside."""
    return entry.failure.unavailability if entry is not None and entry.reach is Reach.OUTSIDE else 1.0


def node_share(data: FailureData, kind: FailureKind, window_s: float) -> float:
    """Return the share of time in which a replica is down because its node is; an interruptible node fails both ways."""
    share = data.failures[FailureKind.NODE].unavailability_up_to(window_s)
    if kind is FailureKind.INTERRUPTED:
        # Either failure takes the node: one less the product of being up.
        taken = data.failures[FailureKind.INTERRUPTED].unavailability_up_to(window_s)
        share = share + taken - share * taken
    return share


def workload_unavailability(situation: Situation, column: int, needed: int, data: FailureData) -> float:
    """Return the probability that fewer than ``needed`` replicas of a workload serve in a situation.

    Nodes are convolved with the replicas they carry, as these fall together, then the replicas that are left.
    Exact; in time O(replicas x distinct loads of a node).
    """
    rows = np.flatnonzero(situation.counts[:, column])
    loads = zip(situation.counts[rows, column].tolist(), situation.shares[rows, column].tolist(), strict=True)
    # Nodes that carry as many and fail alike are one group: the distribution needs their number alone.
    groups = Counter(loads)
    whole = sum(size * number for (size, _), number in groups.items())
    own = data.failures[FailureKind.REPLICA].unavailability
    # Too few stand whatever happens to nodes.
    if whole < needed:
        return 1.0
    return fewer_left(tuple((size, number, share) for (size, share), number in sorted(groups.items())), needed, own)
