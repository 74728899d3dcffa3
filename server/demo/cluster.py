"""The invented cluster that Mareel Line runs today: more nodes than it needs, and where each replica is."""

from __future__ import annotations

import random
from collections.abc import Iterator, Sequence
from typing import Any

from rombel.model.demand import Demand, WorkloadKind
from rombel.model.study import ARCHITECTURE_LABEL, TYPE_LABEL, ZONE_LABEL

_FLEET = (("tern-16", 9, 15_600, 59), ("eider-8", 3, 7_700, 57), ("auk-16", 3, 15_600, 28))
"""Instance type, nodes a zone, usable millicores, usable GiB."""

_OBJECTS = {
    WorkloadKind.REPLICATED: "Deployment",
    WorkloadKind.STATEFUL: "StatefulSet",
    WorkloadKind.DAEMON: "DaemonSet",
    WorkloadKind.JOB: "Job",
}


def demo_listing(rows: Sequence[Demand], zones: Sequence[str], seed: int = 11) -> dict[str, Any]:
    """Return the listing of a running cluster, as the API gives it: nodes, workloads and pods."""
    rng = random.Random(seed)
    nodes = [
        (f"{zone}-{kind}-{n:02d}", kind, zone, cpu, gib)
        for zone in zones
        for kind, per, cpu, gib in _FLEET
        for n in range(per)
    ]
    items: list[dict[str, Any]] = [_node(*node) for node in nodes]
    free = {name: [cpu, gib * 2**30] for name, _, _, cpu, gib in nodes}
    for row in rows:
        items.append(workload_object(row))
        items += _pods(row, nodes, free, rng)
    return {"apiVersion": "v1", "kind": "List", "items": items}


def _node(name: str, kind: str, zone: str, cpu: int, gib: int) -> dict[str, Any]:
    labels = {TYPE_LABEL: kind, ZONE_LABEL: zone, ARCHITECTURE_LABEL: "amd64"}
    usable = {"cpu": f"{cpu}m", "memory": f"{gib}Gi", "pods": "110"}
    return {
        "apiVersion": "v1",
        "kind": "Node",
        "metadata": {"name": name, "labels": labels},
        "status": {"allocatable": usable},
    }


def workload_object(row: Demand) -> dict[str, Any]:
    """Return a row as an object of the API."""
    spec: dict[str, Any] = {"selector": {"matchLabels": {"app": row.name}}, "template": _template(row)}
    if row.kind is not WorkloadKind.DAEMON:
        spec["replicas"] = row.replicas
    kind = _OBJECTS[row.kind]
    return {
        "apiVersion": "apps/v1",
        "kind": kind,
        "metadata": {"name": row.name, "namespace": row.namespace},
        "spec": spec,
    }


def _template(row: Demand) -> dict[str, Any]:
    request = {"cpu": f"{row.request.cpu_millicores}m", "memory": f"{row.request.memory_bytes // 2**20}Mi"}
    pod: dict[str, Any] = {
        "containers": [{"name": row.name, "image": "invented/none", "resources": {"requests": request}}]
    }
    if row.node_labels:
        pod["nodeSelector"] = dict(row.node_labels)
    if row.zone_skew:
        rule = {"maxSkew": row.zone_skew, "topologyKey": ZONE_LABEL, "whenUnsatisfiable": "DoNotSchedule"}
        pod["topologySpreadConstraints"] = [{**rule, "labelSelector": {"matchLabels": {"app": row.name}}}]
    return {"metadata": {"labels": {"app": row.name, **row.labels}}, "spec": pod}


def _pods(
    row: Demand, nodes: Sequence[tuple[str, str, str, int, int]], free: dict[str, list[int]], rng: random.Random
) -> Iterator[dict[str, Any]]:
    """Yield the pods of a row, each on a node with room; those without room wait."""
    daemon = row.kind is WorkloadKind.DAEMON
    places = [node[0] for node in nodes] if daemon else [""] * row.replicas
    owner = {"kind": _OBJECTS[row.kind], "name": row.name, "controller": True}
    for number, place in enumerate(places):
        need = (row.request.cpu_millicores, row.request.memory_bytes)
        fitting = [node[0] for node in nodes if free[node[0]][0] >= need[0] and free[node[0]][1] >= need[1]]
        where = place or (rng.choice(fitting) if fitting else "")
        if where:
            free[where][0] -= need[0]
            free[where][1] -= need[1]
        template = _template(row)
        spec = {**template["spec"], **({"nodeName": where} if where else {})}
        name = f"{row.name}-{number:03d}"
        meta = {
            "name": name,
            "namespace": row.namespace,
            "labels": template["metadata"]["labels"],
            "ownerReferences": [owner],
        }
        yield {
            "apiVersion": "v1",
            "kind": "Pod",
            "metadata": meta,
            "spec": spec,
            "status": {"phase": "Running" if where else "Pending"},
        }
