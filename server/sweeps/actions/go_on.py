"""Go on with a sweep that was stopped, or that some points of failed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from jobs.asking import in_parts, new_job
from jobs.models import ACTIVE, Job
from sweeps.actions.of_sweep import OfSweep
from sweeps.adapt import plan_of
from sweeps.background import KIND, far_apart, part_size


@dataclass
class GoOn(OfSweep):
    """Queue the points that are not known; a sweep that is under way, or known whole, stays as it is."""

    begun: bool = False
    name: ClassVar[str] = "sweep.go_on"

    def execute(self) -> None:
        """Queue them."""
        sweep, plan = self.sweep, plan_of(self.sweep.plan)
        before = sweep.job
        if before.status in ACTIVE:
            return
        # What failed by a fault of ours is tried again.
        sweep.points.filter(status="failed").delete()
        known = set(sweep.points.values_list("number", flat=True))
        parts = sorted({number // part_size(plan) for number in range(plan.size) if number not in known})
        if not parts:
            return
        sweep.job, self.begun = new_job(KIND, before.subject, self.actor), True
        sweep.save(update_fields=["job"])
        Job.objects.filter(pk=before.pk).delete()
        in_parts(sweep.job, KIND, far_apart(parts))

    def changed_anything(self) -> bool:
        """Return whether anything was queued."""
        return self.begun
