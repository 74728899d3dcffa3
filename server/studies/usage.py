"""Reads of a study's measured use: proposals, coincidence, levels, forecasts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import UTC, datetime

from accounts.action import Missing
from measured.adapt import usage_of
from measured.models import UsageSet
from rombel.model.demand import Demand, Level
from rombel.model.levels import levels_of
from rombel.model.pod import Amounts, total
from rombel.usage import Proposal, SizingPolicy, WorkloadUsage, propose
from studies.models import Study

UseByWorkload = dict[str, dict[str, WorkloadUsage]]


def usual_replicas(row: Demand, study: Study) -> int:
    """Return how many replicas totals are shared by."""
    return max(1, levels_of(row, study.growth_percent)[Level.USUAL].replicas or row.replicas)


def usage_set(usage_id: int, study_id: int) -> UsageSet:
    """Return a set of series that was read for the study; ``Missing`` when there is none."""
    found = UsageSet.objects.defer("content").filter(pk=usage_id, study_id=study_id).first()
    if found is None:
        raise Missing(f"There is no usage set {usage_id}.")
    return found


@dataclass(frozen=True, slots=True)
class Sized:
    """A workload with its proposal."""

    row: Demand
    proposal: Proposal
    usage: Mapping[str, WorkloadUsage]


def study_usage(study: Study, workload: str = "") -> UseByWorkload:
    """Return the study's measured use by workload and resource; empty where none was taken."""
    return by_workload(study.usage, workload) if study.usage is not None else {}


def by_workload(usage: UsageSet, workload: str = "") -> UseByWorkload:
    """Return the use of a set by workload and resource, of all workloads or of one."""
    found: UseByWorkload = {}
    for (name, resource), entry in usage_of(usage, workload).items():
        found.setdefault(name, {})[resource] = entry
    return found


def proposals(usage: UseByWorkload, policy: SizingPolicy, rows: Sequence[Demand]) -> list[Sized]:
    """Return a proposal for every row that was measured, beside its request as it stands."""
    found = []
    for row in rows:
        use = usage.get(row.full_name)
        if use and ("cpu" in use or "memory" in use):
            found.append(Sized(row, _proposal(row, use, policy), use))
    return found


def _proposal(row: Demand, use: Mapping[str, WorkloadUsage], policy: SizingPolicy) -> Proposal:
    cpu, memory = use.get("cpu"), use.get("memory")
    limit = total(entry.limit for entry in row.pod.containers if entry.role != "init")
    # Measured for all replicas together: the busiest one is then a guess, and is said to be one.
    shared = any(entry is not None and entry.from_totals for entry in (cpu, memory))
    return propose(row.request, limit, cpu.busiest if cpu else None, memory.busiest if memory else None, policy, shared)


def measured_window(usage: UsageSet) -> str:
    """Return in words when was measured."""
    ends = usage.start_s + usage.step_s * usage.steps
    first, last = (datetime.fromtimestamp(moment, UTC).date() for moment in (usage.start_s, ends - 1))
    return f"{first} to {last}"


def with_request(row: Demand, request: Amounts, words: str) -> Demand:
    """Return the row with a request from use, what it was before kept beside it."""
    # The first request is kept however often a row is sized.
    asked = row.provenance.asked if row.provenance.asked is not None else row.request
    return replace(row, request=request, provenance=replace(row.provenance, request_from=words, asked=asked))
