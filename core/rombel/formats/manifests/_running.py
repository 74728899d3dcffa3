"""From the listing of a running cluster: its nodes, where pods run, and workloads known only by their pods."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from rombel.formats._yaml import Located
from rombel.formats.manifests._around import namespace_of
from rombel.formats.manifests._notes import Notes
from rombel.formats.manifests._pod_spec import read_quantity
from rombel.model.demand import Demand, WorkloadKind
from rombel.model.pod import Amounts
from rombel.model.running import Running, RunningNode, RunningWorkload, limit_of
from rombel.model.study import TYPE_LABEL, ZONE_LABEL

HASH_LABEL = "pod-template-hash"
_OWNERS = {
    "ReplicaSet": WorkloadKind.REPLICATED,
    "Deployment": WorkloadKind.REPLICATED,
    "StatefulSet": WorkloadKind.STATEFUL,
    "DaemonSet": WorkloadKind.DAEMON,
    "Job": WorkloadKind.JOB,
    "CronJob": WorkloadKind.JOB,
}


@dataclass(frozen=True, slots=True)
class OwnedPod:
    """A pod, the workload it is a replica of, and where it runs (empty: it waits)."""

    item: Located
    full_name: str
    kind: WorkloadKind
    node: str


def owned_pods(objects: Mapping[str, Sequence[Located]], notes: Notes) -> list[OwnedPod]:
    """Return the pods that run or wait; pods of the node itself and finished ones are noted."""
    above = _owners_above(objects)
    found = []
    for item in objects.get("Pod", ()):
        phase, name = item.text("status", "phase"), item.text("metadata", "name")
        if phase in ("Succeeded", "Failed"):
            notes.ignore(item.line, "finished pod", f"its phase is {phase}")
            continue
        # Listings name owners in a list; some tools write the only one without.
        owner, kind = _owner(item), item.text("metadata", "ownerReferences", "kind")
        if owner is not None:
            kind = owner.text("kind")
        if kind == "Node":
            notes.ignore(item.line, "pod of a node itself", "it belongs to what the node keeps for itself")
            continue
        # A pod that nobody owns is a workload of its own, under its own name.
        own = owner.text("name") if owner is not None else name
        if kind == "ReplicaSet":
            # What the listing says of the set counts; only where it lists none is the name taken apart.
            own = above.get((namespace_of(item), own), _without_hash(item, own))
        elif kind == "Job":
            own = above.get((namespace_of(item), own), own)
        node = item.text("spec", "nodeName")
        notes.understood["running pod" if node else "waiting pod"] += 1
        found.append(OwnedPod(item, f"{namespace_of(item)}/{own}", _OWNERS.get(kind, WorkloadKind.REPLICATED), node))
    return found


def _owner(item: Located) -> Located | None:
    references = item.get("metadata", "ownerReferences")
    entries = references.items() if references else []
    # Of several owners one controls; where none says so the first is taken.
    return next((entry for entry in entries if entry.text("controller").lower() == "true"), next(iter(entries), None))


def _owners_above(objects: Mapping[str, Sequence[Located]]) -> dict[tuple[str, str], str]:
    """Return, for replica sets and jobs of the text, the deployment or cron job they belong to."""
    above = {}
    for kind in ("ReplicaSet", "Job"):
        for item in objects.get(kind, ()):
            owner = _owner(item)
            if owner is not None:
                above[namespace_of(item), item.text("metadata", "name")] = owner.text("name")
    return above


def _without_hash(item: Located, name: str) -> str:
    """Return the deployment's name from its replica set's, by the hash that the pod carries."""
    mark = item.text("metadata", "labels", HASH_LABEL)
    return name.removesuffix(f"-{mark}") if mark else name


def running_of(
    objects: Mapping[str, Sequence[Located]], pods: Sequence[OwnedPod], rows: Sequence[Demand], notes: Notes
) -> Running | None:
    """Return what runs where, and what replicas of ``rows`` request; None when the text lists no node."""
    nodes = [_node(item, notes) for item in objects.get("Node", ())]
    if not nodes:
        return None
    names = {node.name for node in nodes}
    replicas: dict[str, dict[str, int]] = {}
    waiting: dict[str, int] = {}
    for pod in pods:
        # A fault and no remark: counted without its node, the pod's room would seem free.
        if pod.node and pod.node not in names:
            reason = f"The pod runs on '{pod.node}', which is not among the nodes of the text."
            fix = "List the nodes and the pods at the same time."
            notes.faults.append(pod.item.fault("manifest.node", "spec.nodeName", reason, fix))
        elif pod.node:
            here = replicas.setdefault(pod.node, {})
            here[pod.full_name] = here.get(pod.full_name, 0) + 1
        else:
            waiting[pod.full_name] = waiting.get(pod.full_name, 0) + 1
    told = {row.full_name: RunningWorkload(row.request, limit_of(row)) for row in rows}
    return Running(tuple(nodes), replicas, waiting, told)


def _node(item: Located, notes: Notes) -> RunningNode:
    labels = item.mapping("metadata", "labels")
    # What pods may use, where it is told; an old listing has the whole node alone.
    usable = item.get("status", "allocatable") or item.get("status", "capacity")
    taints = item.get("spec", "taints")
    keys = ("cpu", "memory", "pods")
    amounts = {key: read_quantity(usable.get(key) if usable else None, f"status.{key}", notes) for key in keys}
    notes.understood["node"] += 1
    name = item.text("metadata", "name")
    if TYPE_LABEL not in labels:
        notes.ignore(item.line, f"type of node {name}", f"it carries no label {TYPE_LABEL}")
    return RunningNode(
        name=name,
        instance_type=labels.get(TYPE_LABEL, ""),
        zone=labels.get(ZONE_LABEL, ""),
        allocatable=Amounts(amounts["cpu"], amounts["memory"]),
        most_pods=amounts["pods"],
        labels=labels,
        taints=tuple(
            f"{entry.text('key')}={entry.text('value')}:{entry.text('effect')}"
            for entry in (taints.items() if taints else [])
        ),
        version=item.text("status", "nodeInfo", "kubeletVersion"),
        ready=_is_ready(item),
        pod_range=item.text("spec", "podCIDR"),
    )


def _is_ready(item: Located) -> bool:
    """Return whether a node takes pods; one that does not say is taken for ready."""
    conditions = item.get("status", "conditions")
    ready = [
        entry.text("status") for entry in (conditions.items() if conditions else []) if entry.text("type") == "Ready"
    ]
    # A node that is kept free of new pods does not count as ready either.
    return all(status == "True" for status in ready) and item.text("spec", "unschedulable").lower() != "true"
