"""What is known of a sweep: its points, and what they say together."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from decimal import Decimal
from functools import cached_property

import numpy as np
from django.db.models import Count

from accounts.action import Missing
from rombel.model.fit_solution import FitStatus
from rombel.model.quantity import HOURS_PER_MONTH
from rombel.sweep import MOST_POINTS, Driver, Outcome, Point, SweepPlan, amounts, comparable, drivers, outcomes
from studies.models import Study
from sweeps.adapt import base_key, plan_of
from sweeps.models import Sweep, SweepPoint

PLANNED = (FitStatus.OPTIMAL, FitStatus.FEASIBLE)


@dataclass(frozen=True)
class Answered:
    """A point with what is known of it; amounts a month, None where it has no plan."""

    number: int
    point: Point
    row: SweepPoint
    cost: Decimal | None
    floor: Decimal | None

    @property
    def nodes(self) -> int:
        """Return how many nodes run."""
        return sum(entry[-1] for entry in self.row.nodes)


@dataclass(frozen=True)
class Results:
    """What is known of a sweep by now."""

    sweep: Sweep
    rows: Sequence[SweepPoint]

    @cached_property
    def plan(self) -> SweepPlan:
        """Return what was asked."""
        return plan_of(self.sweep.plan)

    @cached_property
    def points(self) -> list[Answered]:
        """Return the points that are known, in the order of the plan."""
        fees = {(base.variant_name, base.region): base.fees_per_month for base in self.sweep.bases.defer("given")}
        found = []
        for row in self.rows:
            point = self.plan.point(row.number)
            own = fees[base_key(point)] if self.sweep.with_fees else Decimal(0)
            planned = row.status in PLANNED
            cost, floor = (
                (per_hour * HOURS_PER_MONTH + own).quantize(Decimal("0.01")) if planned else None
                for per_hour in (row.cost_per_hour, row.floor_per_hour)
            )
            found.append(Answered(row.number, point, row, cost, floor))
        return found

    @cached_property
    def outcomes(self) -> list[Outcome]:
        """Return what becomes of each combination of choices."""
        return outcomes(self._cost, self._amounts("floor"), self._answered)

    @property
    def compared(self) -> int:
        """Return in how many futures choices are compared by now."""
        return int(comparable(self._cost, self._answered).sum())

    @cached_property
    def _answered(self) -> np.ndarray:
        # What failed by a fault of ours says nothing of a choice.
        said = [each for each in self.points if each.row.status != "failed"]
        return ~np.isnan(amounts([(each.number, 1.0) for each in said], self.plan))

    @cached_property
    def drivers(self) -> list[Driver]:
        """Return what drives cost."""
        return drivers(self.plan, self._cost)

    @cached_property
    def _cost(self) -> np.ndarray:
        return self._amounts("cost")

    def _amounts(self, name: str) -> np.ndarray:
        values = [(each.number, float(getattr(each, name))) for each in self.points if each.cost is not None]
        return amounts(values, self.plan)


def results_of(sweep: Sweep) -> Results:
    """Return what is known of a sweep."""
    return Results(sweep, list(sweep.points.all()))


def sweeps_of(study: Study) -> list[tuple[Sweep, int]]:
    """Return the sweeps of a study, each with how many of its points are known, the newest first."""
    rows = study.sweeps.select_related("variant", "job__asked_by").order_by("-pk")
    known = dict(SweepPoint.objects.filter(sweep__study=study).values_list("sweep").annotate(Count("pk")).order_by())
    return [(row, known.get(row.pk, 0)) for row in rows]


def sweep_by_id(sweep_id: int) -> Sweep:
    """Return a sweep; ``Missing`` when there is none."""
    sweep = Sweep.objects.select_related("study", "variant", "job__asked_by").filter(pk=sweep_id).first()
    if sweep is None:
        raise Missing(f"There is no sweep {sweep_id}.")
    return sweep


def point_by_number(sweep: Sweep, number: int) -> SweepPoint:
    """Return a point of a sweep that is known; ``Missing`` when it is not."""
    point = sweep.points.filter(number=number).first() if 0 <= number < MOST_POINTS else None
    if point is None:
        raise Missing(f"Point {number} of sweep {sweep.pk} is not known.")
    return point
