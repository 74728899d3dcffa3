"""Nodes that come: how long they take, whether they may come at all, and which are ordered for replicas that wait."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Mapping
from functools import partial
from typing import TYPE_CHECKING

import numpy as np

from rombel.model.fit_problem import OfferKey
from rombel.simulate.cluster import NodeState

if TYPE_CHECKING:
    from rombel.simulate.play import Play

NORMAL_95 = 1.6448536269514722
"""The 95th percentile of the standard normal distribution."""


def start_sigma(median_s: float, p95_s: float | None) -> float:
    """Return the deviation of the logarithm of a node's start; 0 where every start takes the median.

    Lognormal by its median and 95th percentile: start times have a long tail to the right and none to the left.
    """
    return math.log(p95_s / median_s) / NORMAL_95 if p95_s is not None and p95_s > median_s else 0.0


class Supply:
    """Orders nodes for a drill that is played, inside stock, quotas and the maxima of autoscaling."""

    def __init__(self, play: Play) -> None:
        self.play, self.cluster = play, play.cluster
        self.dark_zones: set[int] = set()
        self.out_of_stock: set[tuple[str, int]] = set()
        self.ordered = 0
        self._pending: Counter[int] = Counter()
        self._expected: Counter[int] = Counter()
        """By workload, replicas that nodes on their way are meant for."""

    def start_s(self) -> float:
        """Return how long a node takes to start, drawn where a spread is stated."""
        timing = self.play.book.timing
        sigma = start_sigma(timing.node_start_s, timing.node_start_p95_s)
        if not sigma:
            return timing.node_start_s
        return self.play.rng.lognormvariate(math.log(timing.node_start_s), sigma)

    def open(self, key: OfferKey, then: Callable[[int], None] | None = None) -> bool:
        """Order a node; return whether it can come. ``then`` is told its number once it is up."""
        offer = self.cluster.offer_of.get(key)
        if offer is None or self.obstacle(offer):
            return False
        self._pending[offer] += 1
        self.ordered += 1

        def up() -> None:
            self._pending[offer] -= 1
            node = self.cluster.add(key)
            # A node that joins runs what the control plane runs: never a newer version, and no older one without need.
            self.cluster.nodes[node].version = self.play.control_version
            self.play.set_state(node, NodeState.UP)
            self.play.tell("node up", f"a node of {key[0]} is up in {key[2]}")
            if then is not None:
                then(node)
            self.play.place_soon()

        seconds = self.start_s()
        self.play.spent["nodes starting"] += seconds
        self.play.engine.after(seconds, up)
        return True

    def running(self, offer: int) -> int:
        """Return how many nodes of an offer run or are on their way."""
        stands = np.array([n.state in (NodeState.UP, NodeState.CORDONED) for n in self.cluster.nodes], np.bool_)
        return int((self.cluster.offer[stands] == offer).sum()) + self._pending[offer]

    def obstacle(self, offer: int) -> str:
        """Return why no further node of an offer can come now; empty: one can."""
        entry, sold = self.cluster.offers[offer]
        zone = int(self.cluster.zone_of_offer[offer])
        if zone in self.dark_zones:
            return f"zone {sold.zone} is lost"
        if (entry.name, zone) in self.out_of_stock:
            return f"{entry.name} is out of stock in {sold.zone}"
        if sold.most_nodes is not None and self.running(offer) >= sold.most_nodes:
            return f"at most {sold.most_nodes} nodes of {entry.name} may run in {sold.zone}"
        resources = self.cluster.problem.resources
        for quota in self.cluster.problem.limits.quotas:
            if quota.holds_for(entry, sold):
                held = [j for j, pair in enumerate(self.cluster.offers) if quota.holds_for(*pair)]
                used = sum(self.running(j) * quota.use(resources, self.cluster.offers[j][0]) for j in held)
                if used + quota.use(resources, entry) > quota.most:
                    return f"the quota {quota.name} leaves no room for a node of {entry.name}"
        return ""

    def grow_as_planned(self, zone: int) -> None:
        """Order the new nodes that the fit plans for the loss of a zone."""
        for batch in (self.play.solution.growing or {}).get(self.cluster.zones[zone], ()):
            for _ in range(batch.count):
                self.open(batch.offer, partial(self._arrived, batch.replicas))
                for name, count in batch.replicas.items():
                    self._expected[self.cluster.index[name]] += count

    def _arrived(self, replicas: Mapping[str, int], node: int) -> None:
        """Let what a node was planned for go there."""
        for name, count in replicas.items():
            i = self.cluster.index[name]
            self._expected[i] -= count
            self.play.landings.expect(i, node, count)

    def ask(self) -> None:
        """Order nodes for what waits, the cheapest that take a replica, inside the maxima of autoscaling."""
        for (i, home), count in sorted(self.cluster.waiting.items()):
            need = count - self._expected[i]
            # Node by node, as maxima and quotas fill up with each that is ordered.
            while need > 0 and (offers := [j for j in range(len(self.cluster.offers)) if self._may_grow(j, i, home)]):
                offer = min(offers, key=lambda j: (self.cluster.offers[j][1].price_per_hour, j))
                entry, sold = self.cluster.offers[offer]
                asked = self.cluster.request[i]
                fits = int(min((self.cluster.room[offer] // np.maximum(asked, 1))[asked > 0], default=count))
                fits = max(1, min(fits, int(self.cluster.most[offer, i])))
                self._expected[i] += fits
                self.open(entry.key(sold), partial(self._came, i, fits))
                need -= fits

    def _came(self, i: int, count: int, _node: int) -> None:
        self._expected[i] -= count

    def _may_grow(self, offer: int, i: int, home: int) -> bool:
        entry, sold = self.cluster.offers[offer]
        fits = self.cluster.most[offer, i] > 0 and bool((self.cluster.room[offer] >= self.cluster.request[i]).all())
        here = home < 0 or int(self.cluster.zone_of_offer[offer]) == home
        most = self.play.book.maxima.get(entry.key(sold), 0)
        return fits and here and self.running(offer) < most and not self.obstacle(offer)
