"""Say of a difference that the plan is right, or that the cluster is."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Overtaken
from builds.drift import told_drift
from builds.models import DriftWord
from rombel.building import Drift
from rombel.errors import refuse
from studies.actions.edit_demand import EditDemand
from studies.actions.of_study import OfVariant


@dataclass
class AnswerDrift(OfVariant[None]):
    """Keep that the plan is right, or write what runs into the sheet as an edit that can be undone.

    Parameters
    ----------
    kind, where, planned, actual
        Which difference, as its sender saw it.
    cluster_is_right
        Whether the sheet is to say what runs.

    """

    kind: str
    where: str
    planned: str
    actual: str
    cluster_is_right: bool
    name: ClassVar[str] = "drift.answer"

    def execute(self) -> None:
        """Keep it."""
        told = told_drift(self.variant)
        drift = None if told is None else next((own for own in told.compared.drifts if self._is(own)), None)
        if told is None or drift is None:
            raise Overtaken("This difference is not there any more, or another one. Look again.")
        if not self.cluster_is_right:
            DriftWord.objects.get_or_create(
                study=self.variant.study,
                kind=self.kind,
                where=self.where,
                planned=self.planned,
                actual=self.actual,
                defaults={"by": self.actor},
            )
            return
        key, cells = told.cells_of(drift)
        if not key:
            fix = "Change the plan where it is made, or put the cluster right."
            raise refuse("drift.takes", "", "The sheet has nothing to say of this difference.", fix)
        EditDemand(self.actor, self.variant.study, {key: dict(cells)}).run()

    def _is(self, own: Drift) -> bool:
        return (str(own.kind), own.where, own.planned, own.actual) == (
            self.kind,
            self.where,
            self.planned,
            self.actual,
        )

    def detail(self) -> dict[str, Any]:
        """Return which difference and who is right."""
        right = "cluster" if self.cluster_is_right else "plan"
        return {"kind": self.kind, "where": self.where, "planned": self.planned, "actual": self.actual, "right": right}
