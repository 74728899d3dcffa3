"""The shape of an action that changes rows of the demand sheet as values: altered, compared, kept as one edit."""

from __future__ import annotations

from abc import abstractmethod
from dataclasses import dataclass
from typing import Any

from accounts.action import Missing
from rombel.errors import InputRefused
from rombel.model.demand import Demand
from rombel.model.levels import sheet_faults
from studies.actions.edit_demand import row_changes
from studies.actions.of_study import OfStudy, Recording
from studies.adapt import demand_of
from studies.edits import record


@dataclass
class RowAction(Recording, OfStudy[int]):
    """Alter rows and return how many changed; subclasses say how, and in which words."""

    def execute(self) -> int:
        """Return how many rows changed."""
        rows = {str(row.key): row for row in self.study.workloads.all()}
        values = {key: demand_of(row) for key, row in rows.items()}
        self.alter(values)
        # As with any edit, all rows must stand together afterwards.
        if faults := sheet_faults(list(values.values()), self.study.growth_percent):
            raise InputRefused(faults)
        changes = row_changes(rows, values)
        self.changed = len(changes)
        self.recorded = record(self.study, self.actor, self.summary(), changes)
        return self.changed

    @abstractmethod
    def alter(self, values: dict[str, Demand]) -> None:
        """Put other values in the place of some, by row key."""

    @abstractmethod
    def summary(self) -> str:
        """Return what was done, once ``changed`` is known."""

    def detail(self) -> dict[str, Any]:
        """Return how many changed."""
        return {"changed": self.changed}


def chosen(keys: list[str], values: dict[str, Demand]) -> dict[str, Demand]:
    """Return the named rows, or all where none is named; ``Missing`` for a name that is not there."""
    missing = [key for key in keys if key not in values]
    if missing:
        raise Missing(f"There is no row {missing[0]}.")
    return {key: values[key] for key in keys} if keys else dict(values)
