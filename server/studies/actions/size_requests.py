"""Take proposals for requests, or give workloads back what they asked."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import Any, ClassVar

from rombel.errors import refuse
from rombel.model.demand import Demand
from rombel.usage import SizingPolicy
from studies.actions.row_action import RowAction, chosen
from studies.usage import measured_window, proposals, study_usage, with_request


@dataclass
class SizeRequests(RowAction):
    """Take the proposals of some workloads, or of all (none named), as one edit; where each came from is kept."""

    policy: SizingPolicy
    keys: list[str]
    name: ClassVar[str] = "demand.size"

    def alter(self, values: dict[str, Demand]) -> None:
        """Give each row its proposal."""
        if self.study.usage is None:
            raise refuse("usage.none", "", "Nothing was measured.", "Take a usage series first.")
        wanted = chosen(self.keys, values)
        margin = f"{self.policy.cpu_percentile:g}th percentile + {self.policy.cpu_margin_percent} %"
        words = f"use of {measured_window(self.study.usage)}: CPU {margin}, memory maximum + "
        words += f"{self.policy.memory_margin_percent} % ({self.policy.definition})"
        by_name = {value.full_name: key for key, value in wanted.items()}
        for sized in proposals(study_usage(self.study), self.policy, list(wanted.values())):
            if sized.proposal.request != sized.row.request:
                values[by_name[sized.row.full_name]] = with_request(sized.row, sized.proposal.request, words)

    def summary(self) -> str:
        """Return how many requests follow use."""
        return f"requests of {self.changed} workloads from use"

    def detail(self) -> dict[str, Any]:
        """Return the policy and how many changed."""
        return {"percentile": self.policy.cpu_percentile, **super().detail()}


@dataclass
class GiveBackRequests(RowAction):
    """Give some workloads, or all (none named), the request back that they had before they were right-sized."""

    keys: list[str]
    name: ClassVar[str] = "demand.give-back"

    def alter(self, values: dict[str, Demand]) -> None:
        """Give each row what it asked."""
        for key, value in chosen(self.keys, values).items():
            asked = value.provenance.asked
            if asked is not None:
                # What was asked comes back, and the row forgets that it was sized.
                kept = replace(value.provenance, request_from="as asked", asked=None)
                values[key] = replace(value, request=asked, provenance=kept)

    def summary(self) -> str:
        """Return how many were given back."""
        return f"requests of {self.changed} workloads given back"
