"""Begin a build of a variant's newest plan, or take a cluster away."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any, ClassVar

from accounts.action import Overtaken
from builds.listed import Asked, ToDo, change_value, to_do
from builds.models import ClusterBuild, Goal
from builds.wanted import Buildable
from jobs.asking import new_job, start
from rombel.building import Doing
from rombel.errors import Fault, InputRefused
from studies.actions.of_study import OfVariant


@dataclass
class StartBuild(OfVariant[ClusterBuild]):
    """Ask the provider to work off the change list that was seen.

    Parameters
    ----------
    digest
        Of the list that its sender saw; where it is another one by now nothing is begun.
    why
        Why a plan is built that nobody signed.
    asked
        What is to be done.
    typed
        The cluster's name, where it is taken away.

    """

    digest: str
    why: str = ""
    asked: Asked = field(default_factory=Asked)
    typed: str = ""
    name: ClassVar[str] = "build.start"

    def execute(self) -> ClusterBuild:
        """Return it; refuse with everything that keeps it from being begun."""
        found = to_do(self.variant, self.asked)
        faults = [*found.hurdles, *self._unsaid(found)]
        if faults:
            raise InputRefused(faults)
        if found.digest != self.digest:
            raise Overtaken("What is to be done changed since you looked. Look again, then begin.")
        found.fit.kept = True
        found.fit.save(update_fields=["kept"])
        region = self.variant.region
        assert region is not None
        self.row = ClusterBuild.objects.create(
            job=new_job("build", found.build["cluster"], self.actor),
            study=self.variant.study,
            variant=self.variant,
            fit=found.fit,
            variant_name=self.variant.name,
            cluster=found.build["cluster"],
            provider=region.edition.provider.name,
            wanted=found.build,
            goal=self.asked.goal,
            volumes=self.asked.takes_volumes,
            steps=[{"text": text, "by": ""} for text in (found.drill.steps if found.drill else ())],
            changes=[change_value(change) for change in found.changes if change.doing is not Doing.KEEP],
            workloads=self._workloads(found),
            why=self.why.strip(),
            started_by=self.actor,
        )
        start(self.row.job)
        return self.row

    def _workloads(self, found: ToDo) -> dict[str, Any]:
        """Return what runs in the end; empty: what runs already."""
        return Buildable(self.variant, found.fit).running if self.asked.goal is Goal.PLAN else {}

    def _unsaid(self, found: ToDo) -> list[Fault]:
        if self.asked.goal is Goal.NOTHING:
            if self.typed != found.build["cluster"]:
                fix = f"Type {found.build['cluster']}."
                return [Fault("build.typed", "typed", "The cluster's name is not typed.", fix)]
            return []
        if self.asked.goal is Goal.PLAN and not found.signed and not self.why.strip():
            reason = "Nobody signed this plan."
            return [Fault("build.unsigned", "why", reason, "Hand it in to be signed, or say why it is built without.")]
        return []

    def detail(self) -> dict[str, Any]:
        """Return which build, of which list, and why."""
        return {
            "build": self.row.pk,
            "cluster": self.row.cluster,
            "goal": self.asked.goal,
            "version": self.asked.version,
            "volumes": self.asked.takes_volumes,
            "digest": self.digest,
            "why": self.why,
        }
