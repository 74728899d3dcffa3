"""Copy a variant with its newest plan."""

from __future__ import annotations

from dataclasses import dataclass

from jobs.asking import done_job
from runs.models import Fit, Run
from runs.queries import latest_fit
from studies.actions.create_variant import CreateVariant
from studies.models import Variant


@dataclass
class CopyVariant(CreateVariant):
    """Make a variant that starts with the choices of another, and with its plan: the same problem has the same answer."""

    def execute(self) -> Variant:
        """Return the new variant."""
        made = super().execute()
        fit = latest_fit(self.source)
        if fit is None:
            return made
        before = fit.run
        run = Run.objects.create(
            job=done_job("fit", f"{made.study.name}, {made.name}", self.actor, f"Copied from {self.source.name}."),
            variant=made,
            **{
                name: getattr(before, name)
                for name in ("stated_id", "digest", "inputs", "seed", "cost_per_hour", "floor_per_hour")
            },
        )
        kept = ("stated_id", "digest", "solution", "status", "cost_per_hour", "floor_per_hour", "proved_per_hour")
        values = {name: getattr(fit, name) for name in (*kept, "core_version", "seed", "seconds")}
        copy = Fit.objects.create(run=run, variant=made, after=fit, **values)
        # It was computed when the other was, and says so.
        Fit.objects.filter(pk=copy.pk).update(created_at=fit.created_at)
        return made
