"""Proposals for requests from measured use: what they would save and what they risk."""

from __future__ import annotations

import math
from dataclasses import dataclass, field

import numpy as np

from rombel.model.pod import Amounts
from rombel.usage.percentile import Definition, percentile
from rombel.usage.series import Series, Values

MIB = 2**20


@dataclass(frozen=True, slots=True)
class SizingPolicy:
    """How a request follows from use.

    Parameters
    ----------
    cpu_percentile, definition
        Percentile of the busiest replica's CPU, and by which definition.
    cpu_margin_percent, memory_margin_percent
        Added on top; memory's on top of its maximum, because memory cannot be waited for.
    least
        No proposal goes below.
    cpu_step_millicores, memory_step_bytes
        Proposals are whole steps, rounded up.

    """

    cpu_percentile: float = 95.0
    definition: Definition = Definition.NEAREST_RANK
    cpu_margin_percent: int = 15
    memory_margin_percent: int = 15
    least: Amounts = field(default_factory=lambda: Amounts(10, 32 * MIB))
    cpu_step_millicores: int = 10
    memory_step_bytes: int = 16 * MIB


@dataclass(frozen=True, slots=True)
class Proposal:
    """A request from use, and both requests held against what was measured.

    Parameters
    ----------
    request
        What is proposed; a resource without a measurement keeps its request.
    cpu_used_millicores, memory_used_bytes
        The percentile and the maximum it was made from; None: not measured.
    cpu_over_now, cpu_over_then
        Share of the measured time in which the busiest replica uses more than it requests, now and then.
    memory_over_now, memory_over_then
        The same for memory: how much of the time a replica would live on memory nobody keeps for it.
    most_over_limit
        Maximum of memory as a share of the limit; None: no limit stated. At 1 the container is killed.
    caution
        In words, what makes the proposal less sure; empty: nothing.

    """

    request: Amounts
    cpu_used_millicores: float | None
    memory_used_bytes: float | None
    cpu_over_now: float | None
    cpu_over_then: float | None
    memory_over_now: float | None
    memory_over_then: float | None
    most_over_limit: float | None
    caution: str


def propose(
    asked: Amounts,
    limit: Amounts,
    cpu: Series | None,
    memory: Series | None,
    policy: SizingPolicy | None = None,
    from_totals: bool = False,
) -> Proposal:
    """Return a proposal for one workload.

    Parameters
    ----------
    asked, limit
        The request and limit as they stand; 0: none.
    cpu, memory
        Use of the busiest replica: cores, bytes; None: not measured.
    policy
        How a request follows from use.
    from_totals
        Whether the series are even shares of totals, which hide a busier replica.

    """
    policy = policy or SizingPolicy()
    used_cpu = _measured(cpu, lambda values: 1000 * percentile(values, policy.cpu_percentile, policy.definition))
    # Memory over its request is killed sooner or later, so the highest use counts and no percentile.
    used_memory = _measured(memory, lambda values: float(np.nanmax(values)))
    request = Amounts(
        asked.cpu_millicores
        if used_cpu is None
        else _stepped(used_cpu, policy.cpu_margin_percent, policy.cpu_step_millicores, policy.least.cpu_millicores),
        asked.memory_bytes
        if used_memory is None
        else _stepped(used_memory, policy.memory_margin_percent, policy.memory_step_bytes, policy.least.memory_bytes),
    )
    return Proposal(
        request=request,
        cpu_used_millicores=used_cpu,
        memory_used_bytes=used_memory,
        cpu_over_now=_over(cpu, asked.cpu_millicores / 1000),
        cpu_over_then=_over(cpu, request.cpu_millicores / 1000),
        memory_over_now=_over(memory, asked.memory_bytes),
        memory_over_then=_over(memory, request.memory_bytes),
        most_over_limit=used_memory / limit.memory_bytes if used_memory is not None and limit.memory_bytes else None,
        caution=_caution(cpu or memory, from_totals),
    )


def _measured(series: Series | None, what: object) -> float | None:
    if series is None or not len(series.present):
        return None
    return float(what(series.values))  # type: ignore[operator]


def _stepped(used: float, margin_percent: int, step: int, least: int) -> int:
    """Return the use with its margin, rounded up to a whole step, at least the least."""
    wanted = max(used * (100 + margin_percent) / 100, least)
    return math.ceil(wanted / step - 1e-9) * step


def _over(series: Series | None, request: float) -> float | None:
    """Return the share of measured time above the request; None where nothing was measured."""
    if series is None or not len(series.present):
        return None
    values: Values = series.present
    return float((values > request).mean())


def _caution(series: Series | None, from_totals: bool) -> str:
    if series is None or not len(series.present):
        return "not measured"
    days = len(series.values) * series.step_s / 86_400
    cautions = []
    # Each caution is a way in which the measure could mislead.
    if days < 7:
        cautions.append(f"only {days:.1f} days measured: no whole week")
    if series.gap_share > 0.05:
        cautions.append(f"{100 * series.gap_share:.0f} % of the time is not measured")
    if from_totals:
        cautions.append("measured for all replicas together: a busier one is hidden")
    if series.step_s > 300:
        cautions.append(f"means over {series.step_s // 60} min: short bursts are hidden")
    return "; ".join(cautions)
