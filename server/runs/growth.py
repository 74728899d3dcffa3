"""Where measured use is heading, and when it meets what is there for it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from datetime import date

import numpy as np

from rombel.errors import InputRefused
from rombel.model.demand import Demand, Level
from rombel.model.levels import levels_of
from rombel.model.quantity import show_cpu
from rombel.usage import Forecast, GrowthParams, Series, WorkloadUsage, forecast, reached_on
from runs.queries import latest_plan
from studies.actions.change_study import events_of
from studies.adapt import demand_of, demand_rows
from studies.models import Study, Variant, Workload
from studies.queries import workloads_by_name
from studies.usage import study_usage

ALL = "all workloads"


@dataclass(frozen=True, slots=True)
class Heading:
    """Where the CPU of a workload, or of all together (no row), is heading; ``found`` is None where that cannot be told, and ``why_not`` says why.

    ``limit`` is the cores that what is there bears (None: nothing bounds it), ``limit_why`` how, in words.
    """

    name: str
    row: Workload | None
    found: Forecast | None
    limit: float | None = None
    limit_why: str = ""
    why_not: str = ""

    @property
    def reached(self) -> date | None:
        """Return the day on which the expected use meets the limit; None: it does not, as far as is looked ahead."""
        return self._on(self.found.expected) if self.found is not None else None

    @property
    def reached_high(self) -> date | None:
        """Return the day on which the upper end of the band meets it."""
        return self._on(self.found.high) if self.found is not None else None

    def _on(self, values: Sequence[float]) -> date | None:
        return None if self.found is None or self.limit is None else reached_on(self.found.ahead, values, self.limit)


def headings(variant: Variant, params: GrowthParams) -> Iterator[Heading]:
    """Yield where the CPU of all together and of every measured workload is heading."""
    study = variant.study
    usage, events = study_usage(study), events_of(study)
    for name, series, row in _growing(usage, workloads_by_name(study)):
        try:
            found = forecast(series, events, params)
        except InputRefused as refused:
            yield Heading(name, row, None, why_not=refused.faults[0].reason)
            continue
        limit, why = _limit(demand_of(row), study) if row else _fit_limit(variant)
        yield Heading(name, row, found, limit, why)


def _growing(
    usage: Mapping[str, Mapping[str, WorkloadUsage]], stored: Mapping[str, Workload]
) -> Iterator[tuple[str, Series, Workload | None]]:
    whole = [entry["cpu"].total for entry in usage.values() if "cpu" in entry]
    # All workloads together have no row in the sheet.
    if whole:
        first = whole[0]
        yield ALL, Series(first.start_s, first.step_s, np.sum([entry.values for entry in whole], axis=0)), None
    for name, entry in usage.items():
        if "cpu" in entry and name in stored:
            yield name, entry["cpu"].total, stored[name]


def _limit(row: Demand, study: Study) -> tuple[float | None, str]:
    """Return the cores that a workload's most replicas bear, and in words how."""
    if not row.request.cpu_millicores:
        return None, "it requests no CPU"
    # An autoscaler stops at its most replicas, and every other row has the replicas that it has.
    sizing, scales = row.sizing, row.sizing.basis != "fixed"
    if scales and sizing.most is None:
        return None, "no most replicas are stated"
    replicas = (sizing.most or 0) if scales else levels_of(row, study.growth_percent)[Level.PEAK].replicas
    if row.ceiling is not None:
        replicas = min(replicas, row.ceiling)
    share = sizing.target_percent if scales else 100
    why = f"{replicas} replicas x {show_cpu(row.request.cpu_millicores)} x {share} %"
    return replicas * row.request.cpu_millicores * share / 100_000, why


def _fit_limit(variant: Variant) -> tuple[float | None, str]:
    """Return the cores that pods of the present fit request in all."""
    fit = latest_plan(variant)
    if fit is None:
        return None, "there is no fit yet"
    cores = sum(
        levels_of(row, variant.study.growth_percent)[Level(variant.level)].replicas * row.request.cpu_millicores
        for row in demand_rows(variant.study)
    )
    return cores / 1000, f"all CPU requested at {variant.level}: what the fit makes room for"
