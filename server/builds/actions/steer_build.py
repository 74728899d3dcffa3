"""Pause a build, let it go on, try again what is stuck, take it back, or follow it again."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any, ClassVar

from accounts.action import Action, Missing, Overtaken
from builds.models import ClusterBuild, Wish
from builds.queries import build_by_id
from jobs.asking import new_job, start
from jobs.models import ACTIVE, JobStatus
from studies.actions.of_study import InStudy, held
from studies.models import Study


@dataclass
class OfBuild(InStudy, Action[ClusterBuild]):
    """An action on a build."""

    row: ClusterBuild

    def concerned(self) -> Study:
        """Return the build's study."""
        return self.row.study

    def lock(self) -> None:
        """Hold the study and read the build anew."""
        held(self.row.study_id)
        self.row = build_by_id(self.row.pk)

    def subject(self) -> str:
        """Return the study."""
        return f"study:{self.row.study_id}"


@dataclass
class SteerBuild(OfBuild):
    """Wish something of a build that is under way; its follower tells the service within a second."""

    wish: Wish
    name: ClassVar[str] = "build.steer"

    def execute(self) -> ClusterBuild:
        """Return it; what has ended takes no wish."""
        if self.row.status not in ACTIVE:
            raise Overtaken("This build has ended. Nothing was changed.")
        self.row.wish = self.wish
        self.row.save(update_fields=["wish"])
        return self.row

    def detail(self) -> dict[str, Any]:
        """Return which build and what was wished."""
        return {"build": self.row.pk, "cluster": self.row.cluster, "wish": self.wish}


@dataclass
class FollowBuild(OfBuild):
    """Follow a build again whose service was out of reach; it is found by its key and not begun twice."""

    name: ClassVar[str] = "build.follow"

    def execute(self) -> ClusterBuild:
        """Return it; what is followed, or has ended as it should, is not followed again."""
        if self.row.status != JobStatus.FAILED:
            raise Overtaken("This build is followed already, or has ended. Nothing was changed.")
        job = new_job("build", self.row.cluster, self.actor)
        # The job that failed stays in the trail of jobs; the build has one at a time.
        self.row.job = job
        self.row.save(update_fields=["job"])
        start(job)
        return self.row

    def detail(self) -> dict[str, Any]:
        """Return which build."""
        return {"build": self.row.pk, "cluster": self.row.cluster}


@dataclass
class TickStep(OfBuild):
    """Tick a step that is done outside of the build, or take the tick off."""

    place: int
    done: bool
    name: ClassVar[str] = "build.tick"

    def execute(self) -> ClusterBuild:
        """Return it."""
        if self.place >= len(self.row.steps):
            raise Missing(f"There is no step {self.place + 1}.")
        self.row.steps[self.place]["by"] = self.actor.shown_name if self.done else ""
        self.row.save(update_fields=["steps"])
        return self.row

    def detail(self) -> dict[str, Any]:
        """Return which step of which build."""
        return {"build": self.row.pk, "step": self.row.steps[self.place]["text"], "done": self.done}
