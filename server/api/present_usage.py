"""What the API gives of measured use: sets of series, proposals, peaks, growth."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace
from datetime import UTC, datetime
from decimal import Decimal
from typing import Any

import numpy as np

from api.money import money
from measured.models import UsageSet
from rombel.errors import InputRefused
from rombel.model.demand import Demand, Level
from rombel.model.levels import levels_of
from rombel.model.pod import Amounts
from rombel.model.quantity import show_cpu, show_memory
from rombel.plan import floor_per_month, unit_prices
from rombel.usage import Forecast, GrowthParams, Series, SizingPolicy, WorkloadUsage, coincide
from runs.growth import ALL, Heading, headings
from studies.adapt import demand_of, demand_rows, supply_of, targets_of
from studies.models import Study, Variant, Workload
from studies.queries import workloads_by_name
from studies.usage import Sized, UseByWorkload, by_workload, measured_window, proposals, study_usage

MOST_POINTS = 700
"""Points of a thinned series: about one a pixel."""


_OF_SET = ("id", "status", "phase", "share", "message", "faults", "origin", "step_s", "steps", "samples", "read_at")


def usage_set(row: UsageSet, study: Study, use: UseByWorkload | None = None) -> dict[str, Any]:
    """Return a set of series in short; its use is read where the caller has not."""
    use = by_workload(row) if use is None else use
    found = [entry for resources in use.values() for entry in resources.values()]
    missing = [value.full_name for value in demand_rows(study) if value.full_name not in use]
    return {
        **{name: getattr(row, name) for name in _OF_SET},
        "window": measured_window(row),
        "workloads": len(use),
        "without": missing,
        "gaps": float(np.mean([entry.total.gap_share for entry in found])) if found else 0.0,
        "resets": sum(entry.resets for entry in found),
        "left_out": [{"what": entry["why"], "count": entry["count"]} for entry in row.left_out],
        "read_by": row.read_by.shown_name,
        "taken": study.usage_id == row.pk,
    }


def sizing(variant: Variant, policy: SizingPolicy) -> dict[str, Any]:
    """Return proposals for every measured workload and what taking all of them would save in a variant."""
    study = variant.study
    stored = workloads_by_name(study)
    rows = [demand_of(row) for row in stored.values()]
    use = study_usage(study)
    sized = proposals(use, policy, rows)
    growth, level = study.growth_percent, Level(variant.level)
    # Prices of requests are marginal: what the floor of the problem would lose, not a share of the bill.
    prices = _Prices(variant, rows, sized)
    lines = []
    for entry in sized:
        # Where replicas follow use, smaller requests mean more of them.
        after = replace(entry.row, request=entry.proposal.request)
        counts = [levels_of(row, growth)[level].replicas for row in (entry.row, after)]
        lines.append(_proposal(entry, stored[entry.row.full_name], counts, prices))
    return {
        "usage": usage_set(study.usage, study, use) if study.usage else None,
        # The largest savings first, as they are what is looked for.
        "rows": sorted(lines, key=lambda line: -float(line["saves_per_month"])),
        "floor_now": money(prices.now),
        "floor_then": money(prices.then),
        "per_vcpu": money(prices.per_vcpu),
        "per_gib": money(prices.per_gib),
        "coincidence": list(_coincidence(sized)),
        "faults": prices.faults,
    }


class _Prices:
    """Marginal prices of requests in a variant, and its floor with the proposals; zeros where it makes no problem."""

    def __init__(self, variant: Variant, rows: Sequence[Demand], sized: Sequence[Sized]) -> None:
        self.now = self.then = self.per_vcpu = self.per_gib = Decimal(0)
        self.faults: list[str] = []
        proposed = {entry.row.full_name: entry.proposal.request for entry in sized}
        after = [replace(row, request=proposed.get(row.full_name, row.request)) for row in rows]
        try:
            supply, targets = supply_of(variant), targets_of(variant)
            found = unit_prices(supply, targets, rows)
            self.now, self.per_vcpu, self.per_gib = found.floor_per_month, found.per_vcpu, found.per_gib
            self.then, _ = floor_per_month(supply, targets, after)
        except InputRefused as refused:
            self.faults = [entry.reason for entry in refused.faults]

    def worth(self, request: Amounts, replicas: int) -> Decimal:
        """Return what requests of so many replicas are worth a month at these prices."""
        cpu, memory = Decimal(request.cpu_millicores) / 1000, Decimal(request.memory_bytes) / 2**30
        return replicas * (cpu * self.per_vcpu + memory * self.per_gib)


def _proposal(entry: Sized, stored: Workload, counts: Sequence[int], prices: _Prices) -> dict[str, Any]:
    now, found = entry.row.request, entry.proposal
    names = ["cpu_used_millicores", "memory_used_bytes", "cpu_over_now", "cpu_over_then"]
    names += ("memory_over_now", "memory_over_then", "most_over_limit", "caution")
    return {
        "key": stored.key,
        "name": entry.row.full_name,
        "owner": entry.row.owner,
        "replicas": counts[0],
        "replicas_then": counts[1],
        "cpu_now": show_cpu(now.cpu_millicores),
        "memory_now": show_memory(now.memory_bytes),
        "cpu_then": show_cpu(found.request.cpu_millicores),
        "memory_then": show_memory(found.request.memory_bytes),
        "cpu_now_millicores": now.cpu_millicores,
        "memory_now_bytes": now.memory_bytes,
        "cpu_then_millicores": found.request.cpu_millicores,
        "memory_then_bytes": found.request.memory_bytes,
        **{name: getattr(found, name) for name in names},
        "saves_per_month": money(prices.worth(now, counts[0]) - prices.worth(found.request, counts[1])),
        "sized": entry.row.provenance.asked is not None,
    }


def _coincidence(sized: Sequence[Sized]) -> Iterator[dict[str, Any]]:
    """Yield how far peaks of CPU coincide, over all and within each owner."""
    groups: dict[str, dict[str, Series]] = {ALL: {}}
    for entry in sized:
        if "cpu" in entry.usage:
            groups[ALL][entry.row.full_name] = entry.usage["cpu"].total
            groups.setdefault(entry.row.owner or "no owner", {})[entry.row.full_name] = entry.usage["cpu"].total
    for group, series in groups.items():
        found = coincide(series) if len(series) > 1 else None
        if found is not None:
            names = ("sum_of_peaks", "peak_of_sum", "measured_share")
            at = datetime.fromtimestamp(found.at_s, UTC)
            yield {"group": group, "workloads": len(series), "at": at, **{name: getattr(found, name) for name in names}}


def series(study: Study, workload: str) -> dict[str, Any]:
    """Return the use of one workload's busiest replica through time, thinned to about a point a pixel."""
    found = study_usage(study, workload).get(workload, {})
    # A picture has about so many columns; peaks are kept, since a mean would hide them.
    step = max((-(-len(entry.busiest.values) // MOST_POINTS) for entry in found.values()), default=1)
    first = next(iter(found.values()), None)
    return {
        "start_s": first.busiest.start_s if first else 0,
        "step_s": first.busiest.step_s * step if first else 60,
        "cpu": _thinned(found.get("cpu"), step),
        "memory": _thinned(found.get("memory"), step),
    }


def _thinned(entry: WorkloadUsage | None, step: int) -> list[float | None]:
    if entry is None:
        return []
    values = entry.busiest.values
    padded = np.append(values, np.full(-len(values) % step, np.nan)).reshape(-1, step)
    known = ~np.isnan(padded).all(axis=1)
    most = np.where(np.isnan(padded), -np.inf, padded).max(axis=1)
    return [float(value) if is_known else None for value, is_known in zip(most, known, strict=True)]


def growth(variant: Variant, params: GrowthParams, chosen: str) -> dict[str, Any]:
    """Return where the CPU of every measured workload is heading, and the forecast of one, or of all together."""
    lines: list[dict[str, Any]] = []
    picture = None
    for own in headings(variant, params):
        if own.found is None:
            lines.append(_no_growth(own.name, own.row, own.why_not))
            continue
        lines.append(_growth_line(own, own.found))
        if own.name == chosen or (not chosen and own.row is None):
            picture = _forecast(own, own.found)
    far = "9999"
    lines.sort(
        key=lambda line: (line["key"] is not None, str(line["reached"] or far), str(line["reached_high"] or far))
    )
    return {"rows": lines, "chosen": picture, "events": variant.study.events, "horizon_days": params.horizon_days}


def _no_growth(name: str, row: Workload | None, why: str) -> dict[str, Any]:
    nothing = {"slope_per_week": 0.0, "peak": 0.0, "growth_percent": 0}
    return {
        "key": row.key if row else None, "name": name, **nothing, "limit": None, "reached": None, "reached_high": None,
        "caution": why,
    }  # fmt: skip


def _growth_line(own: Heading, found: Forecast) -> dict[str, Any]:
    return {
        "key": own.row.key if own.row else None,
        "name": own.name,
        "slope_per_week": found.slope_per_week,
        "peak": max(value for value in found.peaks if value == value),
        "growth_percent": found.growth_percent(),
        "limit": own.limit,
        "reached": own.reached,
        "reached_high": own.reached_high,
        "caution": found.caution,
    }


def _forecast(own: Heading, found: Forecast) -> dict[str, Any]:
    measured = [
        {"day": day, "peak": peak if peak == peak else None, "low": None, "high": None}
        for day, peak in zip(found.days, found.peaks, strict=True)
    ]
    ahead = [
        {"day": day, "peak": peak, "low": low, "high": high}
        for day, peak, low, high in zip(found.ahead, found.expected, found.low, found.high, strict=True)
    ]
    return {
        "name": own.name,
        "measured": measured,
        "ahead": ahead,
        "limit": own.limit,
        "limit_why": own.limit_why,
        "slope_per_week": found.slope_per_week,
        "growth_percent": found.growth_percent(),
        "weekday": list(found.weekday),
        "daily": list(found.daily),
        "reached": own.reached,
        "reached_high": own.reached_high,
        "caution": found.caution,
    }
