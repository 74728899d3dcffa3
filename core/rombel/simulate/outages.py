"""Journeys played through years of chance: the same meaning as the exact computation, none of its mathematics.

Zones, nodes, replicas and dependencies fail and come back one by one; at every moment it is counted who serves. What the
exact computation adds up in closed form is here only observed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from random import Random

from rombel.model.failure import SECONDS_PER_YEAR, Failure, FailureData, FailureKind
from rombel.model.journey import Dependency, Journey, Reach, blocks_of, is_down
from rombel.model.placement import PlacedNode, Placement
from rombel.simulate.batches import BatchMeans, batch_means
from rombel.simulate.engine import Engine, Pool


@dataclass(frozen=True, slots=True)
class OutageParams:
    """How long is played.

    Parameters
    ----------
    batches, years_per_batch
        Batches of equal length.
    warm_up_years
        Played before and not counted, as everything works at the start.

    """

    batches: int = 20
    years_per_batch: float = 25.0
    warm_up_years: float = 1.0


@dataclass(frozen=True, slots=True)
class Played:
    """What was seen of a journey: its unavailability with confidence, and outages in a year."""

    unavailability: BatchMeans
    outages_per_year: float


def play_outages(
    placement: Placement,
    data: FailureData,
    journeys: Sequence[Journey],
    dependencies: Sequence[Dependency] = (),
    *,
    seed: int = 0,
    params: OutageParams | None = None,
    on_batch: Callable[[int, int], bool] | None = None,
) -> dict[str, Played]:
    """Return by journey what was seen of it.

    Parameters
    ----------
    placement, data, journeys, dependencies
        As the exact computation takes them.
    seed
        Two runs with the same one are the same.
    params
        How long.
    on_batch
        Is told how many batches of how many are done; returns whether to stop. What was played counts.

    """
    params = params or OutageParams()
    world = _World(placement, data, journeys, dependencies, Random(seed))
    length = params.years_per_batch * SECONDS_PER_YEAR
    # The start, with everything up, is no steady state and is thrown away.
    world.engine.run_until(params.warm_up_years * SECONDS_PER_YEAR)
    world.take()
    world.begun = dict.fromkeys(world.begun, 0)
    shares: dict[str, list[float]] = {journey.name: [] for journey in journeys}
    for batch in range(params.batches):
        world.engine.run_until(world.engine.now + length)
        for name, seconds in world.take().items():
            shares[name].append(seconds / length)
        # Stopped: what was played so far is told.
        if on_batch is not None and on_batch(batch + 1, params.batches):
            break
    years = len(next(iter(shares.values()), [])) * params.years_per_batch
    return {name: Played(batch_means(part), world.begun[name] / years) for name, part in shares.items()}


@dataclass(slots=True)
class _Group:
    """Replicas of a workload on one node: how many work, and whether they count where they stand now."""

    workload: str
    node: int
    working: int
    lost: str | None = None
    """The zone from whose loss they arrived here; None: they stand here always."""

    counts: bool = False


class _World:
    """Everything that fails, and what serves at this moment."""

    def __init__(
        self,
        placement: Placement,
        data: FailureData,
        journeys: Sequence[Journey],
        dependencies: Sequence[Dependency],
        rng: Random,
    ) -> None:
        self.engine = Engine()
        self._placement, self._data, self._journeys = placement, data, journeys
        self._serving = dict.fromkeys(placement.workloads, 0)
        self._lost: dict[str, float] = {}
        self._down: set[str] = set()
        self._away = {journey.name: False for journey in journeys}
        self._since = {journey.name: 0.0 for journey in journeys}
        self._sum = {journey.name: 0.0 for journey in journeys}
        self.begun = {journey.name: 0 for journey in journeys}
        self._needs: dict[str, list[Journey]] = {}
        for journey in journeys:
            for name in blocks_of(journey.chain):
                self._needs.setdefault(name, []).append(journey)
        self._nodes: list[PlacedNode] = list(placement.nodes)
        self._groups: list[_Group] = list(self._all_groups())
        self._at: list[list[_Group]] = [[] for _ in self._nodes]
        for group in self._groups:
            self._at[group.node].append(group)
        self._outside = {entry.name: entry for entry in dependencies if entry.name in self._needs}
        self._start(rng)
        # Once all pools exist what serves is counted for the first time.
        self._all_again()

    def _all_groups(self) -> list[_Group]:
        groups = [_Group(n, at, c) for at, node in enumerate(self._nodes) for n, c in self._kept(node.replicas)]
        for zone, part in self._placement.arrivals.items():
            for at, replicas in part.items():
                groups += [_Group(name, at, count, zone) for name, count in self._kept(replicas)]
        for zone, nodes in self._placement.grown.items():
            for node in nodes:
                groups += [_Group(name, len(self._nodes), count, zone) for name, count in self._kept(node.replicas)]
                self._nodes.append(node)
        return groups

    def _kept(self, replicas: Mapping[str, int]) -> list[tuple[str, int]]:
        return [(name, count) for name, count in replicas.items() if count and name in self._serving]

    def _start(self, rng: Random) -> None:
        """Let everything begin to fail."""
        zones, failures = self._placement.zones, self._data.failures

        def pool(count: int, failure: Failure, on_change: Callable[[int, bool], None]) -> Pool:
            return Pool(self.engine, rng, count, failure.per_year / SECONDS_PER_YEAR, failure.repair_s, on_change)

        whole = lambda number, unavailability: self._all_again()  # noqa: E731
        zone = failures[FailureKind.ZONE]
        self._region = pool(1, failures[FailureKind.REGION], whole)
        self._common = pool(1, zone.thinned(self._data.zone_beta), whole)
        self._zones = pool(len(zones), zone.thinned(1 - self._data.zone_beta), self._zone_changed)
        self._own = pool(len(self._nodes), failures[FailureKind.NODE], self._node_changed)
        # Interruptible nodes have a second way to fail, with a clock of its own.
        frail = [at for at, node in enumerate(self._nodes) if node.kind is FailureKind.INTERRUPTED]
        self._frail = {at: number for number, at in enumerate(frail)}
        self._taken = pool(
            len(frail),
            failures[FailureKind.INTERRUPTED],
            lambda number, unavailability: self._node_changed(frail[number], unavailability),
        )
        # Every replica is a thing that fails; where it stands now does not change how often.
        slots = [group for group in self._groups for _ in range(group.working)]
        pool(
            len(slots),
            failures[FailureKind.REPLICA],
            lambda number, unavailability: self._replica_changed(slots[number], unavailability),
        )
        self._apart: dict[str, Pool] = {}
        for name, entry in self._outside.items():
            count = len(zones) if entry.reach is Reach.SPREAD else 1
            self._apart[name] = pool(count, entry.failure, lambda number, unavailability, name=name: self._look(name))  # type: ignore[misc]

    def _replica_changed(self, group: _Group, unavailability: bool) -> None:
        step = -1 if unavailability else 1
        group.working += step
        if group.counts:
            self._serving[group.workload] += step
            self._look(group.workload)

    def _node_changed(self, at: int, unavailability: bool) -> None:
        if unavailability:
            # A window is looked at when it ends: priority 1 lets repairs of the same moment come first.
            for window in {self._placement.workloads[group.workload].node_window_s for group in self._at[at]}:
                if window < math.inf:
                    self.engine.after(window, lambda: self._again(at), 1)
        self._again(at)

    def _zone_changed(self, number: int, unavailability: bool) -> None:
        if unavailability:
            for window in {workload.zone_window_s for workload in self._placement.workloads.values()}:
                if window < math.inf:
                    self.engine.after(window, self._all_again, 1)
        zones = zip(self._placement.zones, self._zones.down_since, strict=True)
        self._lost = {zone: since for zone, since in zones if since is not None}
        self._all_again()

    def _again(self, at: int) -> None:
        """Count anew who stands on a node."""
        changed = set()
        for group in self._at[at]:
            changed |= self._count(group)
        for name in changed:
            self._look(name)

    def _all_again(self) -> None:
        for group in self._groups:
            self._count(group)
        for name in {*self._serving, *self._outside}:
            self._look(name)

    def _count(self, group: _Group) -> set[str]:
        counts = self._stands(group)
        if counts == group.counts:
            return set()
        group.counts = counts
        self._serving[group.workload] += group.working if counts else -group.working
        return {group.workload}

    def _stands(self, group: _Group) -> bool:
        """Return whether the replicas of a group stand: their zone, their node, or where they moved in time."""
        node, workload = self._nodes[group.node], self._placement.workloads[group.workload]
        lost = self._lost
        # A region that is down takes everything with it.
        if self._region_is_down() or node.zone in lost:
            return False
        if group.lost is not None and not self._arrived(group.lost, workload.zone_window_s):
            return False
        since = self._node_since(group.node)
        # While a zone is lost nothing leaves a lost node, as the room is taken.
        return since is None or (not lost and self.engine.now - since >= workload.node_window_s)

    def _arrived(self, zone: str, window_s: float) -> bool:
        """Return whether only this zone is lost, for so long that its replicas have landed."""
        return set(self._lost) == {zone} and self.engine.now - self._lost[zone] >= window_s

    def _node_since(self, at: int) -> float | None:
        """Return since when a node is down; by both causes: since the later."""
        own = self._own.down_since[at]
        # Down by both causes: it is back when the later one is repaired.
        taken = self._taken.down_since[self._frail[at]] if at in self._frail else None
        return max((entry for entry in (own, taken) if entry is not None), default=None)

    def _region_is_down(self) -> bool:
        return self._region.down_since[0] is not None or self._common.down_since[0] is not None

    def _is_down(self, name: str) -> bool:
        if name in self._serving:
            return self._serving[name] < self._placement.workloads[name].needed or self._region_is_down()
        entry, own = self._outside[name], [since is not None for since in self._apart[name].down_since]
        if entry.reach is Reach.OUTSIDE:
            return own[0]
        if self._region_is_down():
            return True
        lost = [since is not None for since in self._zones.down_since]
        if entry.reach is Reach.ZONAL:
            return own[0] or lost[self._placement.zones.index(entry.zone_in(self._placement.zones))]
        return all(a or b for a, b in zip(own, lost, strict=True)) if entry.reach is Reach.SPREAD else own[0]

    def _look(self, name: str) -> None:
        """See whether a block went down or came back, and what that does to its journeys."""
        # Only a change needs the journeys looked at.
        if (name in self._down) == (down := self._is_down(name)):
            return
        (self._down.add if down else self._down.discard)(name)
        for journey in self._needs.get(name, ()):
            self._turn(journey.name, is_down(journey.chain, self._down))

    def _turn(self, name: str, unavailability: bool) -> None:
        if unavailability == self._away[name]:
            return
        self._away[name] = unavailability
        if unavailability:
            self._since[name] = self.engine.now
            self.begun[name] += 1
        else:
            self._sum[name] += self.engine.now - self._since[name]

    def take(self) -> dict[str, float]:
        """Return by journey the seconds down since this was asked last."""
        for name, unavailability in self._away.items():
            # A batch ends inside an outage: the part up to now belongs to it.
            if unavailability:
                self._sum[name] += self.engine.now - self._since[name]
                self._since[name] = self.engine.now
        taken, self._sum = self._sum, dict.fromkeys(self._sum, 0.0)
        return taken
