"""What runs against the plan: every difference is told once, and what is within its limits is none."""

from __future__ import annotations

import json
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from rombel.building import DriftKind, Planned, PlannedPool, PlannedWorkload, compare_running
from rombel.formats import read_manifests
from rombel.model.pod import Amounts
from rombel.model.running import Running

GIB = 2**30
API = PlannedWorkload("shop/api", 2, 4, Amounts(500, GIB), Amounts(1000, GIB), 1, ("amber", "birch"))
PLAN = Planned(
    {("tern-4", "amber"): PlannedPool(2, 1, 3), ("tern-4", "birch"): PlannedPool(1, 1, 1)},
    (API, PlannedWorkload("shop/agent", 0, 0, Amounts(100, 0), daemon=True)),
    "1.31",
    ("10.1.0.0/16",),
)


def listing(
    places: list[tuple[str, str]],
    pods: dict[str, list[int | None]],
    *,
    cpu: str = "500m",
    version: str = "v1.31.4",
    pod_range: str = "10.1.{}.0/24",
) -> Running:
    """Return a listing of nodes (type and zone) with pods, by workload the node that each stands on (None: it waits)."""
    items: list[dict[str, Any]] = [
        {
            "apiVersion": "v1",
            "kind": "Node",
            "metadata": {
                "name": f"n{place}",
                "labels": {"node.kubernetes.io/instance-type": kind, "topology.kubernetes.io/zone": zone},
            },
            "spec": {"podCIDR": pod_range.format(place)},
            "status": {
                "allocatable": {"cpu": "4", "memory": "16Gi", "pods": "110"},
                "nodeInfo": {"kubeletVersion": version},
                "conditions": [{"type": "Ready", "status": "True" if place else "Unknown"}],
            },
        }
        for place, (kind, zone) in enumerate(places)
    ]
    asked = {"requests": {"cpu": cpu, "memory": "1Gi"}, "limits": {"cpu": "1", "memory": "1Gi"}}
    for name, nodes in pods.items():
        for number, node in enumerate(nodes):
            spec: dict[str, Any] = {"containers": [{"name": name, "resources": asked}]}
            owner = {"kind": "DaemonSet" if name == "agent" else "StatefulSet", "name": name, "controller": True}
            items.append(
                {
                    "apiVersion": "v1",
                    "kind": "Pod",
                    "metadata": {"name": f"{name}-{number}", "namespace": "shop", "ownerReferences": [owner]},
                    "spec": spec | ({} if node is None else {"nodeName": f"n{node}"}),
                }
            )
    reading = read_manifests(json.dumps({"apiVersion": "v1", "kind": "List", "items": items}))
    assert reading.running is not None, reading.faults
    return reading.running


PLACES = [("tern-4", "amber"), ("tern-4", "amber"), ("tern-4", "birch")]


class TestDrift(TestCase):
    """Differences."""

    @given(st.integers(1, 3), st.integers(2, 4))
    def test_within_its_limits_nothing_differs(self, nodes: int, replicas: int) -> None:
        """A cluster that autoscaling keeps within its limits is as planned, however many nodes and replicas that is."""
        places = [("tern-4", "amber")] * nodes + [("tern-4", "birch")]
        pods = {"api": [0 if i % 2 else nodes for i in range(replicas)]}
        found = compare_running(PLAN, listing(places, pods))
        self.assertEqual((found.drifts, found.is_of_plan), ((), True))

    def test_every_difference_is_told_once_with_both_sides_and_a_count(self) -> None:
        """Nodes, versions, ranges, waiting pods, replicas, spread and requests: each with what is planned, what runs and how many."""
        places = [*PLACES, ("tern-4", "birch"), ("skua-8", "birch")]
        running = listing(
            places,
            {"api": [0, 0, 0, 1, 1, None], "old": [2]},
            cpu="750m",
            version="v1.30.1",
            pod_range="10.{}.0.0/24",
        )
        found = compare_running(PLAN, running)
        told = [(own.kind, own.where, own.planned, own.actual, own.count) for own in found.drifts]
        self.assertEqual(
            told,
            [
                (DriftKind.NODES, "skua-8 in birch", "no such pool", "1 node", 1),
                (DriftKind.NODES, "tern-4 in birch", "1 node", "2 nodes", 1),
                (DriftKind.VERSION, "nodes of 1.30", "1.31", "1.30", 5),
                (DriftKind.RANGE, "pods in amber", "10.1.0.0/16", "10.0.0.0/24", 1),
                (DriftKind.RANGE, "pods in birch", "10.1.0.0/16", "10.2.0.0/24, 10.3.0.0/24, 10.4.0.0/24", 3),
                (DriftKind.WAITING, "shop/api", "every replica on a node", "1 without a node", 1),
                (DriftKind.UNPLANNED, "shop/old", "not in the sheet", "1 replica", 1),
                (DriftKind.REPLICAS, "shop/api", "2 to 4 replicas", "6 replicas", 2),
                (DriftKind.SPREAD, "shop/api", "differs by 1 at most", "amber 5, birch 0", 4),
                (DriftKind.REQUESTS, "shop/api", "500m CPU, 1Gi memory", "750m CPU, 1Gi memory", 5),
            ],
        )
        takes = {own.kind: own.takes for own in found.drifts if own.takes}
        self.assertEqual(takes[DriftKind.REQUESTS], {"cpu": "750m", "memory": "1Gi"})
        self.assertEqual(takes[DriftKind.REPLICAS], {"replicas": "6"})

    def test_a_pool_is_as_full_as_what_runs_on_it_requests(self) -> None:
        """Health counts nodes, those that take no pods, and the shares of CPU and memory that replicas request."""
        found = compare_running(PLAN, listing(PLACES, {"api": [0, 1, 2, 2]}))
        amber, birch = found.pools
        self.assertEqual((amber.nodes, amber.not_ready, amber.versions), (2, 1, ("1.31",)))
        self.assertEqual((amber.cpu_share, birch.memory_share), (1000 / 8000, 2 / 16))

    def test_a_listing_of_another_cluster_is_known_for_one(self) -> None:
        """Where neither types nor workloads are the plan's, the listing is not of it; a planned workload that is away is missing."""
        found = compare_running(PLAN, listing([("fulmar-8", "cedar")], {"old": [0]}))
        self.assertFalse(found.is_of_plan)
        self.assertIn(DriftKind.MISSING, {own.kind for own in found.drifts})
