"""Demand from manifests: objects of the Kubernetes API in YAML or JSON, several documents, and lists.

Read are Deployment, StatefulSet and DaemonSet (group ``apps``). From each: name, namespace, replicas, the pod's
effective request (containers, init containers, sidecars, overhead, limits where a request is missing), node
selector, topology spread over zones, and anti-affinity against itself on a host. Everything else is listed as
ignored, with why.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from rombel.errors import Fault, InputRefused
from rombel.formats._yaml import Located, load_documents
from rombel.formats.reading import DemandReading, Ignored, size_fault
from rombel.model.pod import Amounts, InitStep, effective_request
from rombel.model.quantity import cpu_millicores, memory_bytes
from rombel.model.study import ZONE_LABEL, Demand, WorkloadKind

KINDS = {
    "Deployment": WorkloadKind.REPLICATED,
    "StatefulSet": WorkloadKind.STATEFUL,
    "DaemonSet": WorkloadKind.DAEMON,
}
HOST_LABEL = "kubernetes.io/hostname"
NOT_PLANNED_WITH = {
    "tolerations": "taints are not planned with yet",
    "volumes": "volumes are not planned with yet",
    "priorityClassName": "priority does not change how many nodes are needed",
}


@dataclass(slots=True)
class _Notes:
    """Faults and ignored things, gathered while reading."""

    faults: list[Fault] = field(default_factory=list)
    ignored: list[Ignored] = field(default_factory=list)

    def ignore(self, place: Located, what: str, why: str) -> None:
        self.ignored.append(Ignored(place.line, what, why))


def read_manifests(text: str) -> DemandReading:
    """Return the workloads of the text, every fault with line and column, and what was ignored and why."""
    large = size_fault(len(text.encode("utf-8", "replace")))
    if large:
        return DemandReading((), (large,), ())
    documents, faults = load_documents(text)
    notes, rows = _Notes(faults=list(faults)), []
    seen: dict[str, int] = {}
    for item in _objects(documents, notes):
        row = _workload(item, notes)
        if row is None:
            continue
        if row.full_name in seen:
            reason = f"'{row.full_name}' stands on line {seen[row.full_name]} too."
            notes.faults.append(item.fault("demand.twice", "metadata.name", reason, "Rename or remove one of them."))
        seen.setdefault(row.full_name, item.line)
        rows.append(row)
    if not rows and not notes.faults:
        reason = "There is no Deployment, StatefulSet or DaemonSet in the text."
        notes.faults.append(Fault("manifest.empty", "", reason, "Paste the manifests of the workloads.", 1, 1))
    return DemandReading(tuple(rows), tuple(notes.faults), tuple(notes.ignored))


def _objects(documents: list[Located], notes: _Notes) -> Iterator[Located]:
    """Yield the API objects, those inside lists too."""
    for document in documents:
        if document.value is None:
            continue
        kind = document.get("kind")
        if not isinstance(document.value, dict) or kind is None:
            reason = "This document is no API object: it has no kind."
            notes.faults.append(document.fault("manifest.kind", "kind", reason, "Add apiVersion, kind and metadata."))
        elif str(kind.value).endswith("List") and document.get("items"):
            entries = document.get("items")
            yield from _objects(entries.items() if entries else [], notes)
        elif kind.value in KINDS:
            yield document
        else:
            notes.ignore(document, f"{kind.value} {_name_of(document)}", "it is no workload that Rombel plans yet")


def _name_of(item: Located) -> str:
    name = item.get("metadata", "name")
    return str(name.value) if name else "without a name"


def _workload(item: Located, notes: _Notes) -> Demand | None:
    """Return one workload, or None where its faults were noted."""
    before = len(notes.faults)
    name, namespace = item.get("metadata", "name"), item.get("metadata", "namespace")
    if name is None or not isinstance(name.value, str) or "/" in name.value:
        notes.faults.append(item.fault("manifest.name", "metadata.name", "The object has no name.", "Give it one."))
        return None
    kind_place = item.get("kind")
    kind = KINDS[str(kind_place.value if kind_place else "")]
    pod = item.get("spec", "template", "spec")
    if pod is None:
        reason = f"'{name.value}' has no pod template."
        notes.faults.append(item.fault("manifest.pod", "spec.template.spec", reason, "Add spec.template.spec."))
        return None
    request = _request(pod, str(name.value), notes)
    skew, most_per_node = _spread(item, pod, notes)
    row = Demand(
        namespace=str(namespace.value) if namespace else "default",
        name=str(name.value),
        kind=kind,
        replicas=0 if kind is WorkloadKind.DAEMON else _replicas(item, notes),
        request=request,
        zone_skew=skew,
        most_per_node=most_per_node,
        node_labels=_selector(pod, notes),
        labels=_labels(item),
    )
    for key, why in NOT_PLANNED_WITH.items():
        place = pod.get(key)
        if place:
            notes.ignore(place, f"{key} of {row.full_name}", why)
    return row if len(notes.faults) == before else None


def _replicas(item: Located, notes: _Notes) -> int:
    place = item.get("spec", "replicas")
    if place is None:
        return 1
    if isinstance(place.value, bool) or not isinstance(place.value, int) or not 0 <= place.value <= 10**6:
        reason = f"'{place.value}' is no number of replicas."
        notes.faults.append(
            place.fault("manifest.replicas", "spec.replicas", reason, "Write a whole number from 0 to 1000000.")
        )
        return 1
    return place.value


def _selector(pod: Located, notes: _Notes) -> dict[str, str]:
    place = pod.get("nodeSelector")
    if place is None:
        return {}
    if not isinstance(place.value, dict):
        reason = "The node selector is no mapping of labels."
        notes.faults.append(place.fault("manifest.selector", "nodeSelector", reason, "Write label: value lines."))
        return {}
    return {key: str(entry.value) for key, entry in place.value.items()}


def _request(pod: Located, name: str, notes: _Notes) -> Amounts:
    """Return the pod's effective request."""
    containers = pod.get("containers")
    if containers is None or not containers.items():
        reason = f"'{name}' has no containers."
        notes.faults.append(pod.fault("manifest.containers", "containers", reason, "List at least one container."))
        return Amounts()
    inits = pod.get("initContainers")
    steps = []
    for entry in inits.items() if inits else []:
        policy = entry.get("restartPolicy")
        steps.append(InitStep(_amounts(entry, notes), policy is not None and policy.value == "Always"))
    overhead = pod.get("overhead")
    extra = Amounts(*_pair(overhead, None, notes)) if overhead else None
    request = effective_request([_amounts(entry, notes) for entry in containers.items()], steps, extra)
    if request == Amounts() and not notes.faults:
        reason = f"'{name}' requests neither CPU nor memory."
        notes.faults.append(containers.fault("demand.request", "resources", reason, "Add resources.requests."))
    return request


def _amounts(container: Located, notes: _Notes) -> Amounts:
    requests, limits = container.get("resources", "requests"), container.get("resources", "limits")
    for key, place in (requests.value if requests and isinstance(requests.value, dict) else {}).items():
        if key not in ("cpu", "memory"):
            notes.ignore(place, f"request of {key}", "only CPU, memory and pods are planned with yet")
    return Amounts(*_pair(requests, limits, notes))


def _pair(requests: Located | None, limits: Located | None, notes: _Notes) -> tuple[int, int]:
    """Return CPU and memory; where a request is left out its limit stands for it."""
    result = []
    for key, parse in (("cpu", cpu_millicores), ("memory", memory_bytes)):
        place = (requests.get(key) if requests else None) or (limits.get(key) if limits else None)
        amount = 0
        if place is not None:
            try:
                amount = parse(str(place.value), f"resources.{key}")
            except InputRefused as refused:
                notes.faults += [place.fault(f.code, f.path, f.reason, f.mend) for f in refused.faults]
        result.append(amount)
    return result[0], result[1]


def _spread(item: Located, pod: Located, notes: _Notes) -> tuple[int | None, int | None]:
    """Return the zone skew and the most replicas on one node."""
    skew, most = None, None
    constraints = pod.get("topologySpreadConstraints")
    for entry in constraints.items() if constraints else []:
        key, wide, hard = entry.get("topologyKey"), entry.get("maxSkew"), entry.get("whenUnsatisfiable")
        if hard is not None and hard.value == "ScheduleAnyway":
            notes.ignore(entry, "a soft spread constraint", "a preference guarantees nothing when a zone is lost")
        elif key is None or wide is None or not isinstance(wide.value, int) or wide.value < 1:
            reason = "A spread constraint needs topologyKey and a maxSkew of at least 1."
            notes.faults.append(entry.fault("manifest.spread", "topologySpreadConstraints", reason, "Give it both."))
        elif key.value == ZONE_LABEL:
            skew = wide.value if skew is None else min(skew, wide.value)
        else:
            notes.ignore(entry, f"spread over {key.value}", "only the spread over zones is planned with yet")
    terms = pod.get("affinity", "podAntiAffinity", "requiredDuringSchedulingIgnoredDuringExecution")
    for term in terms.items() if terms else []:
        key = term.get("topologyKey")
        if key is not None and key.value == HOST_LABEL and _selects_itself(item, term):
            most = 1
        else:
            notes.ignore(term, "an anti-affinity rule", "only a rule against itself on a host is planned with yet")
    return skew, most


def _labels(item: Located) -> dict[str, str]:
    """Return the labels that the object's pods carry."""
    own = item.get("spec", "template", "metadata", "labels")
    if own is None or not isinstance(own.value, dict):
        return {}
    return {str(key): str(entry.value) for key, entry in own.value.items()}


def _selects_itself(item: Located, term: Located) -> bool:
    labels, carried = term.get("labelSelector", "matchLabels"), _labels(item)
    if labels is None or not carried or not isinstance(labels.value, dict):
        return False
    return all(carried.get(key) == str(entry.value) for key, entry in labels.value.items())
