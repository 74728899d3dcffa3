"""Step 3. A fitting problem as arrays: classes x offers x resources, ready for the solver.

Prices become whole numbers without a common divisor, so that sums are exact; what is solved in floats takes prices as parts
of the dearest, so that currency and scale do not matter. Replicas to place, and the window of counts that each zone may hold,
follow from the promise and the spread rule.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from decimal import Decimal

import numpy as np
from numpy.typing import NDArray

from rombel.fit.problem.zone_counts import ZoneRules
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Survival, Workload

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]
UNLIMITED = 10**9
MOST_ON_A_NODE = 30_000
"""More replicas of a class than this are never put on one node."""
DEAREST = 1e4
"""What the dearest offer costs in the units in which programs are solved."""


@dataclass(frozen=True, slots=True)
class Instance:
    """The problem in arrays. I classes, J offers, R resources, Z zones, P pools.

    Parameters
    ----------
    problem
        Where it came from.
    workloads
        The I classes with at least one replica.
    offers
        The J (instance type, offer) pairs that can run at all.
    price
        (J,) whole numbers without a common divisor; ``price * unit`` is money an hour.
    unit
        Money an hour that a price of 1 is.
    cost
        (J,) prices as parts of the dearest, which costs ``DEAREST``.
    resources, grain
        Names of the R resources that can bind, and (R,) how much of each is one in ``capacity`` and ``request``.
    capacity
        (J, R) usable grains of a node.
    request
        (I, R) grains of a replica.
    zone, pool
        (J,) index of the offer's zone and pool.
    quota, fewest
        (J,) most nodes, and those that run in any case.
    per_node
        (J, I) most replicas of a class on one node of an offer; 0: it may not run there.
    most_on_node
        (J, I) the same as far as rules and room force it; ``per_node`` may be less where the search keeps to less.
    least_total
        (I,) fewest replicas that any answer places.
    bounds
        (I, Z, 2) fewest and most replicas that any answer can have in a zone.
    skew, domains
        (I,) largest difference of its counts over its domains, -1: free; (I, Z) the zones that count as its domains.
    lands
        (I,) whether the class's replicas land after the loss of a zone.
    apart
        (I, I) classes that may not share a node.
    shared_use, shared_most
        (Q, J) what a node of an offer takes of each quota over several offers, and (Q,) the most.
    total
        (I,) replicas to place (under ``STANDING`` more than must be left).
    window
        (I, Z, 2) fewest and most replicas in a zone that the search keeps to.
    interruptible
        (J,) whether the offer is interruptible.
    interruptible_most
        (I,) most replicas on interruptible nodes.

    """

    problem: FitProblem
    workloads: tuple[Workload, ...]
    offers: tuple[tuple[InstanceType, Offer], ...]
    price: Ints
    unit: Decimal
    cost: Floats
    resources: tuple[str, ...]
    grain: Ints
    capacity: Ints
    request: Ints
    zone: Ints
    pool: Ints
    quota: Ints
    fewest: Ints
    per_node: Ints
    total: Ints
    window: Ints
    interruptible: NDArray[np.bool_]
    interruptible_most: Ints
    most_on_node: Ints
    least_total: Ints
    bounds: Ints
    skew: Ints
    domains: NDArray[np.bool_]
    lands: NDArray[np.bool_]
    apart: NDArray[np.bool_]
    shared_use: Ints
    shared_most: Ints

    def free(self, class_index: int) -> bool:
        """Return whether only the sum of the class's replicas counts, and not their zones."""
        zones = self.usable_zones(class_index)
        low, high = self.bounds[class_index, zones].T
        replicas = self.workloads[class_index].replicas
        plain = self.promise(class_index) is not Survival.STANDING and self.least_total[class_index] == replicas
        return bool(plain and (low == 0).all() and (high >= replicas).all())

    # An offer that has room counts, whether or not it is bought later.
    def usable_zones(self, class_index: int) -> list[int]:
        """Return the zones with an offer that this class may run on."""
        zones: list[int] = np.unique(self.zone[self.per_node[:, class_index] > 0]).tolist()
        return zones

    def promise(self, class_index: int) -> Survival:
        """Return how the class survives the loss of a zone."""
        return self.problem.promise_of(self.workloads[class_index])

    @property
    def money_per_cost(self) -> float:
        """Return the money an hour that one unit of ``cost`` is."""
        return float(self.unit) * self._prices_per_cost

    @property
    def _prices_per_cost(self) -> float:
        return int(self.price.max(initial=1)) / DEAREST

    def whole_floor(self, floor: float) -> int:
        """Return the least price at or above a floor in units of ``cost``: what nodes cost together is a whole price."""
        # Rounded up to a whole price, but for a tolerance: a floor must never rise by an error of floats.
        return math.ceil(floor * self._prices_per_cost * (1 - 1e-9) - 1e-6)

    def cost_of(self, price: int) -> float:
        """Return a whole price in units of ``cost``."""
        return price / self._prices_per_cost

    def money(self, amount: int) -> Decimal:
        """Return a whole-number price as money an hour."""
        return Decimal(amount) * self.unit

    def rules_of(self, class_index: int) -> tuple[list[int], ZoneRules]:
        """Return the domains of a class, and what rules its counts there."""
        workload, zones = self.workloads[class_index], np.flatnonzero(self.domains[class_index]).tolist()
        # Replicas bound by volumes that exist already.
        held = np.array([workload.stands.get(self.problem.zones[zone], 0) for zone in zones], np.int64)
        skew = None if self.skew[class_index] < 0 else int(self.skew[class_index])
        standing = self.promise(class_index) is Survival.STANDING
        left = workload.left if standing else None
        return zones, ZoneRules(workload.replicas, self._caps(class_index, zones), held, skew, left)

    def _caps(self, class_index: int, zones: list[int]) -> Ints:
        """Return (D,) the most replicas that the quotas of each zone's offers hold."""
        # A quota times what fits on a node is the most that a zone's offer can hold.
        room = np.minimum(self.quota, UNLIMITED) * self.most_on_node[:, class_index]
        return np.array([min(int(room[self.zone == zone].sum()), UNLIMITED) for zone in zones], np.int64)
