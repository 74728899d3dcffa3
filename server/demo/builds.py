"""Builds at the made-up provider: one that stands and was changed by hand since, one that is under way, one that is stuck on a quota."""

from __future__ import annotations

import json
from collections.abc import Callable
from dataclasses import replace
from datetime import datetime
from typing import Any

from django.conf import settings

from accounts.models import User
from builds.actions.start_build import StartBuild
from builds.actions.take_listing import TakeListing
from builds.background import keep_seen
from builds.listed import to_do
from builds.models import ClusterBuild
from builds.service import seen_of
from catalogue.models import RateSheet, Region
from demo.demand import summer_demand
from demo.supply import demo_price_list
from jobs.models import Job, JobStatus
from rombel.model.demand import Sizing
from stand_ins.build_service import Account, Kept
from studies.adapt import fields_of
from studies.models import Study, Variant, Workload
from studies.queries import variant_by_id

HOURS = 3600.0
OTHERS = {
    "format": "rombel-build/1",
    "cluster": "harbour-cameras",
    "region": "far-isle",
    "control_plane": {"members": 1, "version": "1.30"},
    "pools": [
        {"instance_type": "auk-8", "purchase": "on-demand", "zone": "gull", "nodes": 49, "least": 49, "most": 49}
    ],
    "ranges": [],
}
"""A cluster of another team of the same account, which Rombel knows nothing of; it leaves little of the island's quota."""


class _Then:
    """A clock that stands where it is put."""

    def __init__(self, at: float) -> None:
        self.at = at

    def __call__(self) -> float:
        return self.at


def _account(clock: Callable[[], float] | None = None) -> Account:
    listed, kept = demo_price_list("Skerry Compute"), Kept(settings.INSTALLATION.builds_file)
    return Account(lambda: listed, kept, **({"clock": clock, "speed": 1.0} if clock else {}))


def built(planner: User, variant: Variant, day: datetime) -> ClusterBuild:
    """Return the build of a variant's plan, signed as it stands, that was begun on a day and has ended since."""
    row = _begun(planner, variant)
    clock = _Then(day.timestamp())
    account, key = _account(clock), str(row.key)
    account.put_build(key, {"build": row.wanted})
    clock.at += 3 * HOURS
    seen = seen_of(account.build(key))
    account.put_workloads(row.cluster, row.workloads)
    keep_seen(row, seen, None)
    ended = datetime.fromtimestamp(max(item.ended or 0.0 for item in seen.items.values()), day.tzinfo)
    Job.objects.filter(pk=row.job_id).update(
        status=JobStatus.DONE,
        phase="done",
        share=1.0,
        message=f"{row.cluster} stands.",
        finished_at=ended,
        created_at=day,
    )
    ClusterBuild.objects.filter(pk=row.pk).update(started_at=day, seen=ended)
    return row


def changed_by_hand(planner: User, row: ClusterBuild) -> None:
    """Let somebody have been at a cluster by hand, and the planner have listed it."""
    account = _account()
    account.disturb(row.cluster)
    listing = json.dumps(account.listing(row.cluster))
    TakeListing(planner, row.study, listing, "the cluster that was built").run()


def under_way(planner: User, variant: Variant) -> ClusterBuild:
    """Return a build that is under way, at a pace at which it stays so for a while."""
    row = _begun(planner, variant)
    _account().put_build(str(row.key), {"build": row.wanted, "speed": 0.5})
    return row


def stuck(planner: User, variant: Variant) -> ClusterBuild:
    """Return a build that will not end: another team of the account has most of the region's quota."""
    long_ago = _Then(1_700_000_000.0)
    account = _account(long_ago)
    account.put_build("cameras", {"build": OTHERS})
    long_ago.at += 100 * HOURS
    account.build("cameras")
    return _begun(planner, variant)


def _begun(planner: User, variant: Variant) -> ClusterBuild:
    now = variant_by_id(variant.pk)
    return StartBuild(planner, now, to_do(now).digest, why="the berth is wanted before it is signed").run()


def small_study(planner: User, name: str, workloads: dict[str, int], region: str, **choices: Any) -> Variant:
    """Return the one variant of a small study with some of the summer's workloads."""
    study = Study.objects.create(
        name=name, organisation="Mareel Line", created_by=planner, rates=RateSheet.objects.first(), tags=["quay"]
    )
    rows = [row for row in summer_demand() if row.full_name in workloads]
    plain = [
        replace(row, replicas=workloads[row.full_name], sizing=Sizing(), journey="", together="", traffic=())
        for row in rows
    ]
    Workload.objects.bulk_create(Workload(study=study, **fields_of(row, place)) for place, row in enumerate(plain))
    where = Region.objects.get(name=region)
    zones = list(where.zones.values_list("name", flat=True))
    return Variant.objects.create(
        study=study, name="reference", position=0, is_reference=True, region=where, zones=zones, **choices
    )
