"""Between what is stored of a sweep and the core's values."""

from __future__ import annotations

from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from pydantic import TypeAdapter

from rombel.model.demand import Demand
from rombel.model.study import Supply, Targets
from rombel.sweep import Choice, Point, SweepPlan
from sweeps.models import SweepBase


@dataclass(frozen=True, slots=True)
class Base:
    """What a variant asks in a region."""

    supply: Supply
    targets: Targets
    rows: tuple[Demand, ...]


_PLAN: TypeAdapter[SweepPlan] = TypeAdapter(SweepPlan)
_BASE: TypeAdapter[Base] = TypeAdapter(Base)
_KEPT = 8


def stored_form(plan: SweepPlan) -> Any:
    """Return a plan as plain values."""
    return _PLAN.dump_python(plan, mode="json")


def plan_of(stored: Any) -> SweepPlan:
    """Return a plan from its stored form."""
    return _PLAN.validate_python(stored)


def base_form(base: Base) -> Any:
    """Return a base as plain values."""
    return _BASE.dump_python(base, mode="json")


@lru_cache(_KEPT)
def base_numbered(base_id: int) -> Base | None:
    """Return a stored base, which never changes; None: there is none."""
    given = SweepBase.objects.values_list("given", flat=True).get(pk=base_id)
    return None if given is None else _BASE.validate_python(given)


def base_key(point: Point) -> tuple[str, str]:
    """Return under which variant and region the base of a point is stored."""
    return point.chosen[Choice.VARIANT], point.chosen.get(Choice.REGION, "")
