"""Delete a sweep."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from jobs.models import ACTIVE
from rombel.errors import refuse
from sweeps.actions.of_sweep import OfSweep


@dataclass
class DeleteSweep(OfSweep):
    """Delete a sweep with its points; one that is under way is refused."""

    name: ClassVar[str] = "sweep.delete"

    def execute(self) -> None:
        """Delete it."""
        if self.sweep.job.status in ACTIVE:
            raise refuse("sweep.busy", "", "The sweep is under way.", "Stop it first, then delete it.")
        self.sweep.delete()

    def detail(self) -> dict[str, Any]:
        """Return its sentence."""
        return {"sentence": self.sweep.sentence}
