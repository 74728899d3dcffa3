"""Where replicas of what is lost are meant to go: as the fit lists it for a zone, and as its promise for lost nodes has it."""

from __future__ import annotations

from collections import defaultdict, deque
from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from rombel.model.fit_problem import Survival
from rombel.simulate.cluster import Cluster, Ints

if TYPE_CHECKING:
    from rombel.simulate.play import Play


class Landings:
    """By workload, the nodes that its next replicas are meant for; without a plan the scheduler is free."""

    def __init__(self, play: Play) -> None:
        self.play, self.cluster = play, play.cluster
        self._plan: dict[int, deque[int]] = defaultdict(deque)
        self._kept: dict[int, Ints] = {}
        """By node, the room that is kept for replicas which are meant for it and have not come yet."""

    def expect(self, i: int, node: int, count: int) -> None:
        """Mean a node for so many replicas of a workload."""
        if self.play.guided:
            self._plan[i].extend([node] * count)
            self._kept[node] = self._kept.get(node, 0) + count * self.cluster.request[i]

    def take(self, i: int, home: int) -> int:
        """Return the node that the next replica is meant for; -1 where there is no plan, or it does not hold any more."""
        plan = self._plan[i]
        while plan:
            node = plan.popleft()
            self._kept[node] = self._kept[node] - self.cluster.request[i]
            room = self.cluster.takes[node] and (self.cluster.free[node] >= self.cluster.request[i]).all()
            if room and (home < 0 or self.cluster.zone_of(node) == home):
                return node
        return -1

    def kept(self) -> Ints | None:
        """Return (N, R) the room that others leave free; None: none is kept."""
        if not any(room.any() for room in self._kept.values()):
            return None
        kept = np.zeros_like(self.cluster.free)
        for node, room in self._kept.items():
            # Nodes that came meanwhile have rows too: the array is made anew each time.
            kept[node] = room
        return kept

    def for_zone(self, zone: int) -> None:
        """Follow the landings that the fit lists for the loss of a zone."""
        for entry in (self.play.solution.landing or {}).get(self.cluster.zones[zone], ()):
            for name, count in entry.replicas.items():
                if name in self.cluster.index:
                    self.expect(self.cluster.index[name], entry.node, count)

    def for_nodes(self, lost: Sequence[int]) -> None:
        """Follow the promise for lost nodes, which are dark already: each finds a host of its own; one alone may also scatter."""
        problem, workloads = self.cluster.problem, self.cluster.workloads
        lands = np.array(
            [
                problem.node_promise_of(w).promised and problem.node_promise_of(w).how is Survival.LANDING
                for w in workloads
            ],
            np.bool_,
        )
        taken: set[int] = set()
        for node in lost:
            zone = self.cluster.zone_of(node)
            load = np.where(lands, self.cluster.bound[node], 0)
            host = next(
                (
                    h
                    for h in np.flatnonzero(self.cluster.takes).tolist()
                    if h not in taken and self._takes(h, load, zone)
                ),
                None,
            )
            if host is not None:
                taken.add(host)
                for i in np.flatnonzero(load).tolist():
                    self.expect(i, host, int(load[i]))
            # Only for one lost node does the checker count on scattered places.
            elif len(lost) == 1:
                self._scatter(load, zone)

    def _takes(self, node: int, load: Ints, zone: int) -> bool:
        """Return whether a node takes a whole load, lost in a zone, beside what it carries."""
        bound = any(self.cluster.workloads[i].bound_to_zone for i in np.flatnonzero(load).tolist())
        if bound and self.cluster.zone_of(node) != zone:
            return False
        after = self.cluster.bound[node] + load
        room = (self.cluster.free[node] >= load @ self.cluster.request).all()
        allowed = (after <= self.cluster.most[self.cluster.offer[node]])[load > 0].all()
        return bool(room and allowed and not _apart(self.cluster, after, load))

    def _scatter(self, load: Ints, zone: int) -> None:
        """Spread a load over several nodes: first fit, the largest in one resource first, each resource in turn."""
        lost = np.flatnonzero(load).tolist()
        nodes = np.flatnonzero(self.cluster.takes).tolist()
        for resource in range(self.cluster.request.shape[1]):
            kept = self.cluster.free.copy(), self.cluster.bound.copy()
            spots: list[tuple[int, int]] = []
            order = sorted(lost, key=lambda i: (-self.cluster.request[i, resource], self.cluster.workloads[i].name))
            for i in [int(i) for i in np.repeat(order, load[order])]:
                one = np.zeros_like(load)
                one[i] = 1
                spot = next((node for node in nodes if self._takes(node, one, zone)), None)
                if spot is None:
                    break
                spots.append((i, spot))
                self.cluster.bind(spot, i, 1)
            # Only tried: the replicas are placed once they are given up.
            self.cluster.free, self.cluster.bound = kept
            if len(spots) == int(load.sum()):
                for i, spot in spots:
                    self.expect(i, spot, 1)
                return


def _apart(cluster: Cluster, after: Ints, load: Ints) -> bool:
    """Return whether something that arrives would share a node with what it stands apart from."""
    there = [cluster.workloads[i] for i in np.flatnonzero(after).tolist()]
    for i in np.flatnonzero(load).tolist():
        new = cluster.workloads[i]
        if any(other.name in new.apart or new.name in other.apart for other in there):
            return True
    return False
