"""What a plan states, as objects of the Kubernetes API: whole ones, patches of what there is, and bounds of each namespace.

Rombel knows no images: whole objects leave them out, and whoever applies them puts them in. A patch holds what the plan decides and
nothing else, to be applied on the server's side; where the names of containers are not known it states no requests, as an unknown name
would add a container. Source: Kubernetes API reference, apps/v1, batch/v1, autoscaling/v2, policy/v1 and core v1 (field names from memory,
checked in tests by the reference client's models).
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any

import yaml

from rombel.model.demand import LOCAL_DISK, Basis, Demand, Level, WorkloadKind
from rombel.model.levels import levels_of
from rombel.model.pod import Amounts
from rombel.model.quantity import show_cpu, show_memory
from rombel.model.study import HOST_LABEL, ZONE_LABEL

NAME_LABEL = "app.kubernetes.io/name"
_KINDS = {
    WorkloadKind.REPLICATED: ("apps/v1", "Deployment"),
    WorkloadKind.STATEFUL: ("apps/v1", "StatefulSet"),
    WorkloadKind.DAEMON: ("apps/v1", "DaemonSet"),
    WorkloadKind.JOB: ("batch/v1", "Job"),
}
Object = dict[str, Any]


@dataclass(frozen=True, slots=True)
class Stated:
    """A workload with the replicas that the plan runs, the fewest and most that it is scaled to (equal: it is not), and the most of all levels."""

    row: Demand
    replicas: int
    least: int
    most: int
    grown: int
    labels: Mapping[str, str] = field(default_factory=dict)
    apart: tuple[Mapping[str, str], ...] = ()


def stated(rows: Sequence[Demand], growth_percent: int) -> list[Stated]:
    """Return workloads with what their levels ask for, labels that choose their pods alone, and those of workloads they keep off their nodes."""
    carrying: defaultdict[tuple[str, str, str], list[Demand]] = defaultdict(list)
    for row in rows:
        for key, value in row.labels.items():
            # By label, so that a thousand workloads are not each compared with all others.
            carrying[row.namespace, key, value].append(row)
    labels = {row.full_name: _own_labels(row, carrying) for row in rows}
    return [
        replace(
            _stated(row, growth_percent),
            labels=labels[row.full_name],
            apart=tuple(labels[name] for name in row.pod.apart if name in labels),
        )
        for row in rows
    ]


def _own_labels(row: Demand, carrying: Mapping[tuple[str, str, str], Sequence[Demand]]) -> dict[str, str]:
    """Return the labels of a workload; where another one of its namespace carries them all, or it has none, its name is one more.

    A budget or a spread would count the pods of both otherwise.
    """
    own = dict(row.labels)
    # Only who carries its rarest label can carry them all.
    rarest = min((carrying[row.namespace, key, value] for key, value in own.items()), key=len, default=())
    alone = own and all(other is row or not own.items() <= other.labels.items() for other in rarest)
    return own if alone else {**own, NAME_LABEL: row.name}


def _stated(row: Demand, growth_percent: int) -> Stated:
    """Return what the levels of a workload ask for; what runs at peak is what stands."""
    levels = levels_of(row, growth_percent)
    # A batch job runs at some levels only; at the others it asks for nothing and sets no bound.
    counts = [count.replicas for level, count in levels.items() if row.sizing.runs(level)] or [row.replicas]
    usual = levels[Level.PEAK].replicas or max(counts)
    if row.sizing.basis is Basis.RANGE:
        usual = row.replicas
        # Who states the bounds of an autoscaler states them for its object; levels are read from them, not the other way.
        least, most = row.sizing.least or 1, row.sizing.most or usual
    elif row.sizing.basis is Basis.FIXED:
        least = most = usual
    else:
        least, most = max(1, min(counts)), max(counts)
    return Stated(row, usual, least, most, max(most, *counts))


def whole_objects(workloads: Sequence[Stated]) -> Iterator[Object]:
    """Yield every object that the demand makes: namespaces with their bounds, then workloads, autoscalers and disruption budgets."""
    # Bounds before workloads: what is applied in this order is never refused for want of a namespace.
    for namespace in sorted({each.row.namespace for each in workloads}):
        yield from _bounds(namespace, [each for each in workloads if each.row.namespace == namespace])
    for each in workloads:
        yield _workload(each)
        yield from _around(each)


def patches(workloads: Sequence[Stated]) -> Iterator[Object]:
    """Yield for each workload what the plan decides of it: replicas where nothing scales them, requests, spread, labels and tolerations."""
    for each in workloads:
        version, kind = _KINDS[each.row.kind]
        spec = _counts(each, whole=False)
        pod = {**_placing(each), **_requests(each.row, whole=False)}
        template: Object = {"spec": pod} if pod else {}
        if each.labels != each.row.labels and (pod or each.row.budget):
            # What spreads and budgets choose by has to be on the pods first.
            template["metadata"] = {"labels": {NAME_LABEL: each.row.name}}
        if template:
            spec |= {"template": template}
        if spec:
            yield {"apiVersion": version, "kind": kind, "metadata": _meta(each.row), "spec": spec}
        yield from _around(each)


def write_objects(objects: Iterable[Object], head: str) -> str:
    """Return objects as YAML documents in their order, with a comment on top."""
    comment = "".join(f"# {line}\n" for line in head.splitlines())
    # The parser in C, which the published packages hold, writes the same several times as fast.
    dumper = getattr(yaml, "CSafeDumper", yaml.SafeDumper)
    return comment + str(yaml.dump_all(objects, Dumper=dumper, sort_keys=False, allow_unicode=True, width=120))


def _meta(row: Demand) -> Object:
    return {"name": row.name, "namespace": row.namespace}


def _scales(each: Stated) -> bool:
    return each.row.kind in (WorkloadKind.REPLICATED, WorkloadKind.STATEFUL) and each.least < each.most


def _counts(each: Stated, *, whole: bool) -> Object:
    if each.row.kind is WorkloadKind.DAEMON:
        return {}
    if each.row.kind is WorkloadKind.JOB:
        return {"parallelism": each.replicas}
    # An autoscaler owns the number once it runs: a patch that states it would set it back with every apply.
    return {} if _scales(each) and not whole else {"replicas": each.replicas}


def _workload(each: Stated) -> Object:
    row = each.row
    version, kind = _KINDS[row.kind]
    pod = {**_placing(each), **_requests(row, whole=True)}
    if row.pod.overhead != Amounts():
        pod["overhead"] = _amounts({"cpu": row.pod.overhead.cpu_millicores, "memory": row.pod.overhead.memory_bytes})
    if row.kind is WorkloadKind.JOB:
        # A job's pods need one of two policies; with this one a failed pod stays to be looked at.
        pod["restartPolicy"] = "Never"
    spec: Object = _counts(each, whole=True) | {"template": {"metadata": {"labels": dict(each.labels)}, "spec": pod}}
    if row.kind is not WorkloadKind.JOB:
        # The API gives a job its own selector, and refuses another.
        spec["selector"] = {"matchLabels": dict(each.labels)}
    if row.kind is WorkloadKind.STATEFUL:
        spec["serviceName"] = row.name
        if row.pod.volumes:
            spec["volumeClaimTemplates"] = [_claim(volume.name, volume.size_bytes) for volume in row.pod.volumes]
    return {"apiVersion": version, "kind": kind, "metadata": _meta(row) | {"labels": dict(each.labels)}, "spec": spec}


def _claim(name: str, size: int) -> Object:
    asked = {"requests": {"storage": show_memory(size)}}
    return {"metadata": {"name": name}, "spec": {"accessModes": ["ReadWriteOnce"], "resources": asked}}


def _placing(each: Stated) -> Object:
    """Return where replicas may stand: labels of nodes, tolerations, spread over zones and nodes, priority."""
    row, found = each.row, Object()
    if row.node_labels:
        found["nodeSelector"] = dict(row.node_labels)
    if row.pod.tolerations:
        found["tolerations"] = [_toleration(text) for text in row.pod.tolerations]
    if row.kind is WorkloadKind.DAEMON:
        return found
    spreads = [
        _spread(ZONE_LABEL, row.zone_skew, each),
        _spread(ZONE_LABEL, row.pod.zone_skew_wish, each, "ScheduleAnyway"),
        _spread(HOST_LABEL, row.pod.node_skew, each),
    ]
    if known := [spread for spread in spreads if spread is not None]:
        found["topologySpreadConstraints"] = known
    # One on a node is what the API can say; two or three it cannot, and such a row keeps its number in the plan alone.
    off = [*([each.labels] if row.most_per_node == 1 else []), *each.apart]
    if off:
        terms = [{"topologyKey": HOST_LABEL, "labelSelector": {"matchLabels": dict(labels)}} for labels in off]
        found["affinity"] = {"podAntiAffinity": {"requiredDuringSchedulingIgnoredDuringExecution": terms}}
    return found


def _spread(key: str, skew: int | None, each: Stated, unsatisfiable: str = "DoNotSchedule") -> Object | None:
    if skew is None:
        return None
    return {
        "maxSkew": skew,
        "topologyKey": key,
        "whenUnsatisfiable": unsatisfiable,
        "labelSelector": {"matchLabels": dict(each.labels)},
    }


def _toleration(text: str) -> Object:
    """Return a toleration of ``key=value:effect``; ``*`` tolerates every key."""
    rest, _, effect = text.partition(":")
    key, equals, value = rest.partition("=")
    found: Object = {"operator": "Equal" if equals else "Exists"}
    if key != "*":
        found["key"] = key
    if equals:
        found["value"] = value
    return found | ({"effect": effect} if effect else {})


def _requests(row: Demand, *, whole: bool) -> Object:
    """Return containers with what they request; of a patch, only those whose names are known.

    Local disk and resources that only their names tell of are the whole pod's in the sheet, and are put on the first container.
    """
    if not row.pod.containers:
        own = {"cpu": row.request.cpu_millicores, "memory": row.request.memory_bytes}
        return {"containers": [_with_named({"name": row.name, "resources": _asked(own)}, row)]} if whole else {}
    found: Object = {}
    for container in row.pod.containers:
        entry: Object = {"name": container.name}
        request = {"cpu": container.request.cpu_millicores, "memory": container.request.memory_bytes}
        limit = {"cpu": container.limit.cpu_millicores, "memory": container.limit.memory_bytes}
        entry["resources"] = _asked(request) | ({"limits": _amounts(limit)} if any(limit.values()) else {})
        # Since version 1.28 a container that runs beside is an init container that is restarted (from memory).
        if container.role == "sidecar":
            entry["restartPolicy"] = "Always"
        if container.role == "regular" and "containers" not in found:
            entry = _with_named(entry, row)
        found.setdefault("containers" if container.role == "regular" else "initContainers", []).append(entry)
    return found


def _with_named(entry: Object, row: Demand) -> Object:
    """Return a container with the pod's local disk and the resources with a domain in their names; those are requested as they are limited."""
    disk = row.pod.resources.get(LOCAL_DISK)
    named = {name: str(amount) for name, amount in row.pod.resources.items() if "/" in name}
    # Extended resources cannot be shared out: the API wants their request and their limit alike.
    requests = entry["resources"]["requests"] | ({"ephemeral-storage": show_memory(disk)} if disk else {}) | named
    limits = entry["resources"].get("limits", {}) | named
    return entry | {"resources": {"requests": requests} | ({"limits": limits} if limits else {})}


def _asked(amounts: Mapping[str, int]) -> Object:
    return {"requests": _amounts(amounts)}


def _amounts(amounts: Mapping[str, int]) -> dict[str, str]:
    shown = {"cpu": show_cpu, "memory": show_memory}
    # No amount is not the same as an amount of nothing: what is not stated is left to the cluster's defaults.
    return {name: shown[name](amount) for name, amount in amounts.items() if amount}


def _around(each: Stated) -> Iterator[Object]:
    """Yield the autoscaler and the disruption budget of a workload, as far as it has them."""
    row = each.row
    version, kind = _KINDS[row.kind]
    if _scales(each):
        # Of CPU, whatever the sheet scales by: rates and queues need a metric that only the cluster's owner can name.
        target = {"type": "Utilization", "averageUtilization": row.sizing.target_percent}
        yield {
            "apiVersion": "autoscaling/v2",
            "kind": "HorizontalPodAutoscaler",
            "metadata": _meta(row),
            "spec": {
                "scaleTargetRef": {"apiVersion": version, "kind": kind, "name": row.name},
                "minReplicas": each.least,
                "maxReplicas": each.most,
                "metrics": [{"type": "Resource", "resource": {"name": "cpu", "target": target}}],
            },
        }
    if row.budget is not None:
        sides = {"minAvailable": row.budget.min_available, "maxUnavailable": row.budget.max_unavailable}
        sides_stated = {name: int(text) if text.isdecimal() else text for name, text in sides.items() if text}
        yield {
            "apiVersion": "policy/v1",
            "kind": "PodDisruptionBudget",
            "metadata": _meta(row),
            "spec": sides_stated | {"selector": {"matchLabels": dict(each.labels)}},
        }


def _bounds(namespace: str, workloads: Sequence[Stated]) -> Iterator[Object]:
    """Yield a namespace, a quota of what its workloads request at the most of all levels, and what a container without a request is taken for.

    Daemon workloads are left out of the quota: how many run follows from the nodes.
    """
    yield {"apiVersion": "v1", "kind": "Namespace", "metadata": {"name": namespace}}
    counted = [each for each in workloads if each.row.kind is not WorkloadKind.DAEMON]
    if not counted:
        return
    cpu = sum(each.grown * each.row.request.cpu_millicores for each in counted)
    memory = sum(each.grown * each.row.request.memory_bytes for each in counted)
    hard = {
        "pods": str(sum(each.grown for each in counted)),
        "requests.cpu": show_cpu(cpu),
        "requests.memory": show_memory(memory),
    }
    meta = {"name": "plan", "namespace": namespace}
    yield {"apiVersion": "v1", "kind": "ResourceQuota", "metadata": meta, "spec": {"hard": hard}}
    smallest = {
        "cpu": min(each.row.request.cpu_millicores for each in counted),
        "memory": min(each.row.request.memory_bytes for each in counted),
    }
    if asked := _amounts(smallest):
        limits = [{"type": "Container", "defaultRequest": asked}]
        yield {"apiVersion": "v1", "kind": "LimitRange", "metadata": meta, "spec": {"limits": limits}}
