"""Reads of builds."""

from __future__ import annotations

from accounts.action import Missing
from builds.models import ClusterBuild
from studies.models import Study

LAST = 30
"""So many of a study's builds are listed, the newest first."""
LARGE = ("wanted", "changes", "workloads", "items", "outputs")


def build_by_id(key: int) -> ClusterBuild:
    """Return a build; ``Missing`` where there is none."""
    rows = ClusterBuild.objects.select_related("job", "study", "variant", "started_by").defer("workloads")
    found = rows.filter(pk=key).first()
    if found is None:
        raise Missing(f"There is no build {key}.")
    return found


def builds_of(study: Study) -> list[ClusterBuild]:
    """Return a study's builds, the newest first, without what is large."""
    rows = study.builds.select_related("job", "started_by").defer(*LARGE)
    return list(rows.order_by("-pk")[:LAST])
