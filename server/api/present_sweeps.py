"""Sweeps as they are sent."""

from __future__ import annotations

from collections.abc import Mapping
from decimal import Decimal
from typing import Any

from api.money import money
from rombel.model.fit_problem import Survival
from rombel.model.words import SURVIVED_BY
from rombel.sweep import Choice, Outcome, told
from sweeps.adapt import plan_of
from sweeps.models import Sweep
from sweeps.results import Answered, Results


def shown_line(sweep: Sweep, known: int) -> dict[str, Any]:
    """Return a sweep in a line."""
    plan, job = plan_of(sweep.plan), sweep.job
    return {
        "id": sweep.pk,
        "sentence": sweep.sentence,
        "told": told(plan),
        "variant": sweep.variant.name,
        "fits": plan.size,
        "known": known,
        "status": job.status,
        "stop_requested": job.stop_requested,
        "message": job.message,
        "asked_by": "" if job.asked_by is None else job.asked_by.shown_name,
        "asked_at": job.created_at,
    }


def shown_sweep(results: Results) -> dict[str, Any]:
    """Return a sweep with all that is known of it."""
    sweep, plan = results.sweep, results.plan
    return {
        **shown_line(sweep, len(results.rows)),
        "currency": sweep.currency,
        "with_fees": sweep.with_fees,
        "choices": plan.choice_count,
        "futures": plan.future_count,
        "compared": results.compared,
        "outcomes": [_outcome(results, place, each) for place, each in enumerate(results.outcomes)],
        "drivers": [{"name": str(each.name), "share": each.share} for each in results.drivers],
        "points": [_point(each) for each in results.points],
        "again": sum(row.known for row in results.rows),
    }


def _outcome(results: Results, place: int, found: Outcome) -> dict[str, Any]:
    plan, worst = results.plan, found.worst_future
    # What every combination has in common says nothing of one.
    varied = {name: value for name, value in plan.chosen(place).items() if len(plan.choices[name]) > 1}
    amounts = ("mean", "low", "middle", "high", "worst_regret", "mean_regret", "sure_regret")
    return {
        "chosen": _values(varied or plan.chosen(place)),
        **{name: _amount(getattr(found, name)) for name in amounts},
        "worst_future": [] if worst is None else _values(plan.brings(worst)),
        **{name: getattr(found, name) for name in ("cheapest", "planned", "unplanned")},
    }


def _point(each: Answered) -> dict[str, Any]:
    row = each.row
    return {
        "number": each.number,
        "choice": each.point.choice,
        "brings": _values(each.point.brings),
        "status": row.status,
        "cost": None if each.cost is None else money(each.cost),
        "floor": None if each.floor is None else money(each.floor),
        "nodes": each.nodes,
        "reason": row.reason,
        "known": row.known,
    }


def _values(values: Mapping[Any, Any]) -> list[dict[str, str]]:
    return [{"name": str(name), "value": value_words(name, value)} for name, value in values.items()]


def value_words(name: object, value: str | Decimal) -> str:
    """Return a value as it is read: changes in percent with their sign, promises in words."""
    if isinstance(value, Decimal):
        return f"{value:+f} %" if value else "0 %"
    return SURVIVED_BY.get(Survival(value), "none") if name == Choice.PROMISE else value


def _amount(value: float | None) -> str | None:
    return None if value is None else money(Decimal(repr(value)))
