"""Take proposals for requests, or give workloads back what they asked."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar

from accounts.action import Action, Missing
from rombel.errors import refuse
from rombel.model.demand import Demand
from rombel.usage import SizingPolicy
from studies.actions.edit_demand import row_changes
from studies.adapt import demand_of
from studies.edits import record
from studies.models import Study
from studies.usage import measured_window, proposals, with_request


@dataclass
class SizeRequests(Action[int]):
    """Take the proposals of some workloads, or of all (none named), as one edit; where each came from is kept."""

    study: Study
    policy: SizingPolicy
    keys: list[str]
    name: ClassVar[str] = "demand.size"

    def execute(self) -> int:
        """Return how many requests changed."""
        if self.study.usage is None:
            raise refuse("usage.none", "", "Nothing was measured.", "Take a usage series first.")
        rows = {str(row.key): row for row in self.study.workloads.all()}
        values = {key: demand_of(row) for key, row in rows.items()}
        wanted = chosen(self.keys, values)
        margin = f"{self.policy.cpu_percentile:g}th percentile + {self.policy.cpu_margin_percent} %"
        words = f"use of {measured_window(self.study.usage)}: CPU {margin}, memory maximum + "
        words += f"{self.policy.memory_margin_percent} % ({self.policy.definition})"
        by_name = {value.full_name: key for key, value in values.items()}
        for sized in proposals(self.study, self.policy, list(wanted.values())):
            if sized.proposal.request != sized.row.request:
                key = by_name[sized.row.full_name]
                values[key] = with_request(sized.row, sized.proposal.request, words)
        changes = row_changes(rows, values)
        self.changed = len(changes)
        record(self.study, self.actor, f"requests of {self.changed} workloads from use", changes)
        return self.changed

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return the policy and how many changed."""
        return {"percentile": self.policy.cpu_percentile, "changed": self.changed}


@dataclass
class GiveBackRequests(Action[int]):
    """Give some workloads, or all (none named), the request back that they had before they were right-sized."""

    study: Study
    keys: list[str]
    name: ClassVar[str] = "demand.give-back"

    def execute(self) -> int:
        """Return how many requests changed."""
        rows = {str(row.key): row for row in self.study.workloads.all()}
        values = {key: demand_of(row) for key, row in rows.items()}
        for key, value in chosen(self.keys, values).items():
            asked = value.provenance.asked
            if asked is not None:
                kept = replace(value.provenance, request_from="as asked", asked=None)
                values[key] = replace(value, request=asked, provenance=kept)
        changes = row_changes(rows, values)
        self.changed = len(changes)
        record(self.study, self.actor, f"requests of {self.changed} workloads given back", changes)
        return self.changed

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.study.pk}"

    def detail(self) -> dict[str, Any]:
        """Return how many changed."""
        return {"changed": self.changed}


def chosen(keys: list[str], values: dict[str, Demand]) -> dict[str, Demand]:
    """Return the named rows, or all where none is named; ``Missing`` for a name that is not there."""
    missing = [key for key in keys if key not in values]
    if missing:
        raise Missing(f"There is no row {missing[0]}.")
    return {key: values[key] for key in keys} if keys else dict(values)
