"""The cluster that a drill is played on: nodes with their free room, replicas by workload and node, and those that wait.

Replicas of a workload are alike, so they are counted and not named: every array has a row for each node and a column for each workload.
Of N nodes, I workloads and R resources ``free`` is (N, R), ``bound`` and ``serving`` are (N, I). A replica that is bound and does not
serve is starting. Nodes keep their number for good: one that is gone stays as a row that takes nothing.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from rombel.model.fit_problem import FitProblem, InstanceType, Offer, OfferKey, Purchase
from rombel.model.fit_solution import FitSolution

Ints = NDArray[np.int64]
MANY = 10**9


def counted(count: int, one: str) -> str:
    """Return a count with its noun."""
    return f"{count} {one}" if count == 1 else f"{count} {one}s"


class NodeState(StrEnum):
    """Where a node stands; only an *up* one takes replicas."""

    UP = "up"
    CORDONED = "cordoned"
    DARK = "dark"
    GONE = "gone"


@dataclass(slots=True)
class ClusterNode:
    """A node: its name, its offer, and where it stands; ``version`` counts minors above the first one."""

    name: str
    offer: int
    state: NodeState = NodeState.UP
    version: int = 0


class Cluster:
    """What stands where, now.

    Parameters
    ----------
    problem, solution
        The fit that is played. Room kept free on every node is room here: that is what it is kept for.
    extra_percent
        Room that every node has beyond that.

    """

    def __init__(self, problem: FitProblem, solution: FitSolution, extra_percent: int = 0) -> None:
        # Replicas that only stand for free room have no slash in their name, and nothing of theirs runs.
        self.workloads = [w for w in problem.workloads if w.replicas and "/" in w.name] or list(problem.workloads)
        # What was kept free for a bad day is used on one.
        self.problem = replace(problem, limits=replace(problem.limits, headroom={}))
        self.index = {w.name: i for i, w in enumerate(self.workloads)}
        self.request = np.array([w.request for w in self.workloads], np.int64)
        self.offers = [(entry, offer) for entry in problem.instance_types for offer in entry.offers]
        self.offer_of: dict[OfferKey, int] = {entry.key(offer): j for j, (entry, offer) in enumerate(self.offers)}
        self.room = np.array([self.problem.usable(entry) for entry, _ in self.offers], np.int64)
        # Rounded down: room that is said to suffice must not be more than was asked about.
        self.room += self.room * extra_percent // 100
        self.most = np.array(
            [[self._most(i, *pair) for i in range(len(self.workloads))] for pair in self.offers], np.int64
        )
        self.zones = list(problem.zones)
        self.zone_of_offer = np.array([self.zones.index(offer.zone) for _, offer in self.offers], np.int64)
        self.risky = np.array([offer.purchase is Purchase.INTERRUPTIBLE for _, offer in self.offers], np.bool_)
        batches = [(batch, self.offer_of[batch.offer]) for batch in solution.nodes]
        self.offer = np.array([offer for batch, offer in batches for _ in range(batch.count)], np.int64)
        self.nodes = [self._named(number, int(offer)) for number, offer in enumerate(self.offer)]
        self.free = self.room[self.offer].reshape(len(self.nodes), len(problem.resources))
        self.bound = np.zeros((len(self.nodes), len(self.workloads)), np.int64)
        self.takes = np.ones(len(self.nodes), np.bool_)
        self.listed = np.ones(len(self.nodes), np.bool_)
        self.waiting: Counter[tuple[int, int]] = Counter()
        """By workload and the zone that it is bound to (-1: none)."""
        first = 0
        for batch, _ in batches:
            for name, count in batch.replicas.items():
                if name in self.index:
                    self.bound[first : first + batch.count, self.index[name]] = count
            first += batch.count
        self.free = self.free - self.bound @ self.request
        self.serving = self.bound.copy()
        # At the start as many are wished for as stand; drills change what is wished for.
        self.wished = self.bound.sum(axis=0)

    def _named(self, number: int, offer: int) -> ClusterNode:
        entry, sold = self.offers[offer]
        return ClusterNode(f"{entry.name}-{sold.zone}-{number}", offer)

    def _most(self, i: int, entry: InstanceType, offer: Offer) -> int:
        workload = self.workloads[i]
        if not self.problem.may_run(workload, entry, offer):
            return 0
        # A number for no limit, as arrays hold numbers; no node carries so many.
        return MANY if workload.most_per_node is None else workload.most_per_node

    def add(self, key: OfferKey) -> int:
        """Return the number of a new node of an offer, empty and up."""
        offer, nothing = self.offer_of[key], np.zeros((1, len(self.workloads)), np.int64)
        self.nodes.append(self._named(len(self.nodes), offer))
        self.offer = np.append(self.offer, offer)
        self.free = np.vstack([self.free, self.room[offer][None]])
        self.bound, self.serving = np.vstack([self.bound, nothing]), np.vstack([self.serving, nothing])
        self.takes, self.listed = np.append(self.takes, True), np.append(self.listed, True)
        return len(self.nodes) - 1

    def zone_of(self, node: int) -> int:
        """Return the number of a node's zone."""
        return int(self.zone_of_offer[self.offer[node]])

    def key_of(self, node: int) -> OfferKey:
        """Return the offer that a node is of."""
        entry, offer = self.offers[int(self.offer[node])]
        return entry.key(offer)

    def set_state(self, node: int, state: NodeState) -> None:
        """Let a node stand otherwise; one that is gone is listed no longer."""
        self.nodes[node].state = state
        self.takes[node] = state is NodeState.UP
        self.listed[node] = state is not NodeState.GONE

    def bind(self, node: int, i: int, count: int) -> None:
        """Put replicas on a node, or take them away with a negative count; they do not serve yet."""
        self.bound[node, i] += count
        self.free[node] -= count * self.request[i]

    def unbind(self, node: int, i: int, count: int) -> None:
        """Take replicas off a node, starting ones first."""
        # Whoever takes replicas away takes those that serve nobody yet.
        starting = int(self.bound[node, i] - self.serving[node, i])
        self.serving[node, i] -= max(0, count - starting)
        self.bind(node, i, -count)

    def home_of(self, i: int, node: int) -> int:
        """Return the zone that a replica of a workload on a node cannot leave; -1 where it may run in any."""
        return self.zone_of(node) if self.workloads[i].bound_to_zone else -1

    def wait(self, i: int, home: int, count: int) -> None:
        """Let replicas wait for a node, or fewer of them with a negative count."""
        self.waiting[i, home] += count
        # Whether anything waits is asked by whether anything is in it.
        if not self.waiting[i, home]:
            del self.waiting[i, home]

    def in_zones(self, i: int) -> Ints:
        """Return (Z,) the replicas of a workload on listed nodes of each zone."""
        return np.bincount(
            self.zone_of_offer[self.offer[self.listed]], self.bound[self.listed, i], len(self.zones)
        ).astype(np.int64)

    def nodes_in(self, zone: int) -> list[int]:
        """Return the nodes of a zone that are not gone."""
        return [n for n in range(len(self.nodes)) if self.listed[n] and self.zone_of(n) == zone]

    def served(self) -> Ints:
        """Return (I,) the replicas that serve."""
        total: Ints = self.serving.sum(axis=0)
        return total

    def accounted(self) -> Ints:
        """Return (I,) the replicas that stand or wait: as many as are wished for, at any moment."""
        held: Ints = self.bound.sum(axis=0)
        for (i, _), count in self.waiting.items():
            held[i] += count
        return held

    def free_share(self) -> dict[str, float]:
        """Return by resource the share of the room of nodes that take replicas which nobody requests."""
        room = self.room[self.offer[self.takes]].sum(axis=0)
        free = self.free[self.takes].sum(axis=0)
        return {name: float(free[r] / room[r]) if room[r] > 0 else 0.0 for r, name in enumerate(self.problem.resources)}
