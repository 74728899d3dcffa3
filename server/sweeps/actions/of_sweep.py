"""The shape of actions on a sweep: its study is held, and it is read anew."""

from __future__ import annotations

from dataclasses import dataclass

from accounts.action import Action
from studies.actions.of_study import InStudy, held
from studies.models import Study
from sweeps.models import Sweep
from sweeps.results import sweep_by_id


@dataclass
class OfSweep(InStudy, Action[None]):
    """An action on a sweep; editors of its study may."""

    sweep: Sweep

    def __post_init__(self) -> None:
        """Remember which it is, as a row that was deleted has no number."""
        self.key = self.sweep.pk

    def concerned(self) -> Study:
        """Return the sweep's study."""
        return self.sweep.study

    def lock(self) -> None:
        """Hold the study and read the sweep anew."""
        held(self.sweep.study_id)
        self.sweep = sweep_by_id(self.key)

    def subject(self) -> str:
        """Return the sweep."""
        return f"sweep:{self.key}"
