"""The fit problem of a point: what a variant asks, with what is chosen and what the future brings."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import replace
from decimal import ROUND_HALF_EVEN, Decimal
from fractions import Fraction

from rombel.model.demand import Level
from rombel.model.fit_problem import FitProblem, InstanceType, Purchase, Survival, Workload
from rombel.model.study import HEADROOM, Targets
from rombel.sweep.plan import Choice, Point, Unknown, factor

_NANO = Decimal("1e-9")
"""Prices have nine decimals."""


def targets_at(targets: Targets, point: Point) -> Targets:
    """Return what is promised at a point, at the level that it asks for: where it states a growth, the grown peak."""
    if Choice.PROMISE in point.chosen:
        targets = replace(targets, survive_zone=Survival(point.chosen[Choice.PROMISE]))
    if Unknown.GROWTH in point.brings:
        targets = replace(targets, level=Level.GROWN, growth_percent=int(point.brings[Unknown.GROWTH]))
    return targets


def brought(problem: FitProblem, brings: Mapping[Unknown, Decimal]) -> FitProblem:
    """Return a problem with other demand and other prices of nodes.

    Demand is replicas, rounded up, and those that must serve likewise; a workload's counts by zone, which it was sized to, say nothing of
    other replicas and are left out. A node's price changes with all that it brings along; charges of zones stay as they are.
    """
    more = factor(brings.get(Unknown.DEMAND, Decimal(0)))
    if more != 1:
        problem = replace(problem, workloads=tuple(_more(entry, more) for entry in problem.workloads))
    if Unknown.PRICES in brings or Unknown.INTERRUPTIBLE in brings:
        problem = replace(problem, instance_types=tuple(_priced(entry, brings) for entry in problem.instance_types))
    return problem


def _more(entry: Workload, by: Fraction) -> Workload:
    # Room that is kept free is stated in replicas and is no demand.
    if entry.name == HEADROOM:
        return entry
    must = None if entry.must_stand is None else math.ceil(entry.must_stand * by)
    return replace(entry, replicas=math.ceil(entry.replicas * by), must_stand=must, stands={})


def _priced(entry: InstanceType, brings: Mapping[Unknown, Decimal]) -> InstanceType:
    offers = []
    for offer in entry.offers:
        price = offer.price_per_hour * (100 + brings.get(Unknown.PRICES, Decimal(0))) / 100
        if offer.purchase is Purchase.INTERRUPTIBLE:
            price = price * (100 + brings.get(Unknown.INTERRUPTIBLE, Decimal(0))) / 100
        # A node is never for nothing, as a fit would take them without end.
        offers.append(replace(offer, price_per_hour=max(_NANO, price.quantize(_NANO, ROUND_HALF_EVEN))))
    return replace(entry, offers=tuple(offers))
