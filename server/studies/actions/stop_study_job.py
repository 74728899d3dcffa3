"""Stop a job of a study."""

from __future__ import annotations

from dataclasses import dataclass

from jobs.actions.stop_job import StopJob
from studies.actions.of_study import InStudy
from studies.models import Study


@dataclass
class StopStudyJob(InStudy, StopJob):
    """Ask the worker to stop a job that is done for a study; its editors may."""

    study: Study
