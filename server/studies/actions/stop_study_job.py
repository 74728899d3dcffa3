"""Stop a job of a study."""

from __future__ import annotations

from dataclasses import dataclass

from jobs.actions.stop_job import StopJob
from studies.models import Study, StudyRole
from studies.sharing import demand_role


@dataclass
class StopStudyJob(StopJob):
    """Ask the worker to stop a job that is done for a study; its editors may."""

    study: Study

    def permit(self) -> None:
        """Go on only where the person may edit the study."""
        demand_role(self.study, self.actor, StudyRole.EDITOR)
