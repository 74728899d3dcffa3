"""Take what runs from a listing, and nothing of its workloads into the demand."""

from __future__ import annotations

import json
from dataclasses import dataclass
from typing import Any, ClassVar

from builds.models import ClusterBuild, Goal
from builds.service import BuildService
from catalogue.service import ServiceFailed
from measured.adapt import store_listing
from measured.models import Listing
from rombel.errors import InputRefused, refuse
from rombel.formats import read_manifests
from studies.actions.of_study import OfStudy, Recording
from studies.edits import Change, record
from studies.models import Study


def fetched_listing(study: Study) -> str:
    """Return the listing of the study's newest cluster as its service tells it.

    Raises
    ------
    InputRefused
        When no cluster of the study was built, or the service does not tell it.

    """
    # One that takes a cluster away has nothing to list, and one that never began has made nothing.
    built = ClusterBuild.objects.filter(study=study).exclude(goal=Goal.NOTHING).exclude(state="").last()
    if built is None:
        raise refuse("listing.built", "", "No cluster of this study was built.", "Paste a listing, or choose a file.")
    # Somebody waits for this answer, where the worker that follows a build may be patient.
    service = BuildService(built.address, tries=2, timeout_s=5.0)
    try:
        return json.dumps(service.listing(built.cluster))
    except ServiceFailed as failed:
        fix = "Try again, or paste a listing. What was listed before is kept."
        raise refuse("listing.service", "", f"The cluster could not be listed: {failed}", fix) from None


@dataclass
class TakeListing(Recording, OfStudy[Listing]):
    """Read a listing whole or not at all; it is what runs from now on, which can be undone."""

    text: str
    origin: str = ""
    name: ClassVar[str] = "listing.take"

    def execute(self) -> Listing:
        """Return what was listed."""
        reading = read_manifests(self.text)
        if reading.faults:
            raise InputRefused(reading.faults)
        if reading.running is None:
            fix = "List nodes and pods together, as the cluster's API lists them."
            raise refuse("listing.nodes", "text", "There is no node in the text.", fix)
        listing = store_listing(reading.running, self.origin, self.actor)
        before, after = {"running_id": self.study.running_id}, {"running_id": listing.pk}
        change = Change(kind="study", key=str(self.study.pk), before=before, after=after)
        self.taken = len(reading.running.nodes)
        self.recorded = record(self.study, self.actor, f"cluster listed: {self.taken} nodes", [change])
        return listing

    def detail(self) -> dict[str, Any]:
        """Return where it came from and how many nodes it has."""
        return {"origin": self.origin, "nodes": self.taken}


@dataclass
class FetchListing(TakeListing):
    """Ask the service that built the study's cluster for the listing, and take that."""

    text: str = ""
    origin: str = "the cluster that was built"

    def permit(self) -> None:
        """Ask only for who may take it, and before the study is held: nobody waits for a slow service."""
        super().permit()
        self.text = fetched_listing(self.study)
