"""Let replicas or growth of workloads follow from what was measured."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar

from rombel.errors import InputRefused, refuse
from rombel.model.demand import Basis, Demand
from rombel.usage import GrowthParams, WorkloadUsage, forecast, level_loads
from studies.actions.change_study import events_of
from studies.actions.row_action import RowAction, chosen
from studies.usage import study_usage


@dataclass
class FollowUsage(RowAction):
    """Set the levels (``levels``) or the growth (``growth``) of rows from their measured CPU; none named: all measured."""

    what: str
    keys: list[str]
    params: GrowthParams
    name: ClassVar[str] = "demand.follow"

    def alter(self, values: dict[str, Demand]) -> None:
        """Let each measured row follow its use."""
        usage = study_usage(self.study)
        if not usage:
            raise refuse("usage.none", "", "Nothing was measured.", "Take a usage series first.")
        for key, value in chosen(self.keys, values).items():
            cpu = usage.get(value.full_name, {}).get("cpu")
            if cpu is not None:
                values[key] = self._levels(value, cpu) if self.what == "levels" else self._growth(value, cpu)

    def _levels(self, row: Demand, cpu: WorkloadUsage) -> Demand:
        found = level_loads(cpu.total)
        if found is None or not row.request.cpu_millicores:
            return row
        loads = {name: round(1000 * getattr(found, name), 1) for name in ("trough", "usual", "peak")}
        return replace(row, sizing=replace(row.sizing, basis=Basis.USAGE, **loads))

    def _growth(self, row: Demand, cpu: WorkloadUsage) -> Demand:
        try:
            found = forecast(cpu.total, events_of(self.study), self.params)
        except InputRefused:
            return row  # Too few days measured: the study's growth stays its growth.
        return replace(row, sizing=replace(row.sizing, growth_percent=found.growth_percent()))

    def summary(self) -> str:
        """Return what followed."""
        return f"{self.what} of {self.changed} workloads from use"

    def detail(self) -> dict[str, Any]:
        """Return what followed, and how many rows."""
        return {"what": self.what, **super().detail()}
