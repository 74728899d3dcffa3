"""How long a large plan takes to hand over, ten builds to look at, and a listing of 5,000 pods to compare: ``./rombel bench builds``.

The builds are the made-up provider's, over HTTP in this process; what is kept of them is written to the demo's database inside a
transaction that is taken back. The machine should have nothing else to do.
"""

from __future__ import annotations

from dataclasses import replace
from typing import Any

from django.db import transaction

from builds.background import expected_of, keep_seen, work_of
from builds.listed import change_value
from builds.models import ClusterBuild
from builds.service import BuildService
from demo.bench_studies import TakenBack, seconds
from demo.demand import summer_demand
from demo.supply import demo_price_list
from demo.winter import fitted
from handover.bundle import bundle_of
from jobs.asking import done_job
from rombel.building import (
    Planned,
    PlannedPool,
    PlannedWorkload,
    change_list,
    compare_running,
    expected_end,
    parts_of,
)
from rombel.model.demand import WorkloadKind
from rombel.model.pod import Amounts
from rombel.model.running import Running, RunningNode, RunningWorkload
from runs.models import Fit
from runs.stored import stored_solution
from stand_ins.build_service import Account, BuildServiceStandIn, Kept
from stand_ins.hosting import hosted
from stand_ins.manners import CALM
from studies.adapt import fields_of
from studies.models import Study, Variant, Workload

BUILDS, PARTS, NODES, PODS, WORKLOADS = 10, 1000, 500, 5000, 500
ZONES = ("amber", "birch", "cedar")


def large_build(name: str) -> dict[str, Any]:
    """Return a cluster of about a thousand parts."""
    pool = {"instance_type": "tern-4", "purchase": "on-demand", "least": 1, "most": 999}
    each = (PARTS - 4) // len(ZONES)
    return {
        "format": "rombel-build/1",
        "cluster": name,
        "region": "north-sound",
        "control_plane": {"members": 3, "version": "1.31"},
        "pools": [{**pool, "zone": zone, "nodes": each} for zone in ZONES],
        "ranges": [],
    }


def large_listing() -> tuple[Planned, Running]:
    """Return a plan and a listing of a large cluster that differ in every workload."""
    nodes = tuple(
        RunningNode(f"n{n}", "tern-4", ZONES[n % 3], Amounts(4000, 2**34), 110, version="v1.31.1") for n in range(NODES)
    )
    names = [f"space-{n % 20}/workload-{n}" for n in range(WORKLOADS)]
    replicas: dict[str, dict[str, int]] = {node.name: {} for node in nodes}
    for pod in range(PODS):
        here = replicas[f"n{pod % NODES}"]
        name = names[(pod * 7) % WORKLOADS]
        here[name] = here.get(name, 0) + 1
    told = {name: RunningWorkload(Amounts(150, 2**28)) for name in names}
    planned = Planned(
        {("tern-4", zone): PlannedPool(NODES // 3, NODES // 3, NODES) for zone in ZONES},
        [PlannedWorkload(name, 5, 50, Amounts(100, 2**28), zone_skew=1, zones=ZONES) for name in names],
        "1.31",
    )
    return planned, Running(nodes, replicas, {}, told)


def large_plan() -> Fit:
    """Return a plan of many workloads on some 850 nodes, a fit of seconds, with what the demo's summer pays beside nodes."""
    summer = Study.objects.get(name="Summer timetable")
    like = summer.variants.get(is_reference=True)
    assert like.region is not None
    # The list's quotas are those of a small account.
    like.region.edition.quotas.all().delete()
    study = Study.objects.create(name="Bundle", created_by=summer.created_by, rates=summer.rates, events=summer.events)
    own = [row for row in summer_demand() if row.kind is not WorkloadKind.DAEMON]
    rows = (replace(own[n % len(own)], name=f"{own[n % len(own)].name}-{n}") for n in range(WORKLOADS))
    plain = [replace(row, replicas=5 * row.replicas, journey="", together="", traffic=()) for row in rows]
    Workload.objects.bulk_create(Workload(study=study, **fields_of(row, place)) for place, row in enumerate(plain))
    variant = Variant.objects.create(
        study=study, name="reference", position=0, is_reference=True, region=like.region, zones=like.zones,
        beside=like.beside, addresses=like.addresses, build=like.build, most_pods_per_node=40,
    )  # fmt: skip
    return fitted(summer.created_by, variant, "2026-11-02")


def _bundled() -> tuple[str, float, float]:
    fit = large_plan()
    nodes = sum(batch.count for batch in stored_solution(fit).nodes)
    return f"the bundle of {WORKLOADS} workloads on {nodes} nodes", seconds(lambda: bundle_of(fit)), 3.0


def measured() -> list[tuple[str, float, float]]:
    """Return what was measured, in words, with the seconds that it took and those that are wanted."""
    lines: list[tuple[str, float, float]] = []
    parts = parts_of(large_build("one"))
    works = [change.work for change in change_list(parts, {})]
    lines.append((f"the change list of {PARTS} parts", seconds(lambda: change_list(parts, {})), 0.3))
    lines.append(("when it is expected to end", seconds(lambda: expected_end(works)), 0.5))
    planned, running = large_listing()
    words = f"{NODES} nodes and {PODS} pods compared with the plan"
    lines.append((words, seconds(lambda: compare_running(planned, running)), 1.0))
    try:
        with transaction.atomic():
            lines += [_bundled(), _rounds()]
            raise TakenBack
    except TakenBack:
        return lines


def _rounds() -> tuple[str, float, float]:
    """Return how long one look at each of many builds takes, with what is kept of it."""
    fit = Fit.objects.order_by("pk").last()
    study = Study.objects.filter(variants__fits=fit).get()
    listed = replace(demo_price_list("Skerry Compute"), quotas=())
    account = Account(lambda: listed, Kept(":memory:"), speed=1.0)
    with hosted(BuildServiceStandIn(account, CALM)) as address:
        service, rows = BuildService(address), []
        for number in range(BUILDS):
            wanted = large_build(f"cluster-{number}")
            changes = [change_value(change) for change in change_list(parts_of(wanted), {})]
            assert fit is not None
            row = ClusterBuild.objects.create(
                job=done_job("build", "bench", study.created_by), study=study, variant=fit.variant, fit=fit,
                variant_name="", cluster=wanted["cluster"], provider="", wanted=wanted, changes=changes,
                started_by=study.created_by,
            )  # fmt: skip
            service.begin(str(row.key), wanted)
            rows.append((row, [work_of(each) for each in changes]))
        turn = iter(range(10**6))

        def look() -> None:
            for row, works in rows:
                seen = service.look(str(row.key))
                # The end is reckoned every fifth second.
                expected = expected_of(works, seen) if next(turn) % 5 == 0 else None
                keep_seen(row, seen, expected)

        return f"a look at {BUILDS} builds of {PARTS} parts, kept", seconds(look), 1.0
