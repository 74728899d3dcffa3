"""Demand from manifests: objects of the Kubernetes API in YAML or JSON, several documents, and lists.

Workloads come from Deployment, StatefulSet, DaemonSet, ReplicaSet, Job, CronJob and bare or owned Pods; autoscalers,
disruption budgets, claims and priority classes add to them; Nodes with their Pods say what runs where. Of every
object each field is either used or listed as ignored, with why.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace

from rombel.errors import Fault
from rombel.formats._yaml import Located, load_documents, load_quickly
from rombel.formats.manifests._around import Labelled, around, namespace_of, with_autoscalers, with_budgets
from rombel.formats.manifests._notes import Notes
from rombel.formats.manifests._pod_spec import Around, read_pod, volume_size
from rombel.formats.manifests._running import OwnedPod, owned_pods, running_of
from rombel.formats.reading import EVERY_ROWS, LOADED, OF_WORKLOADS, DemandReading, Watch, size_fault, unwatched
from rombel.model.demand import Demand, Provenance, Volume, WorkloadKind
from rombel.model.pod import Amounts

__all__ = ["read_manifests"]

KINDS = {
    "Deployment": WorkloadKind.REPLICATED,
    "ReplicaSet": WorkloadKind.REPLICATED,
    "StatefulSet": WorkloadKind.STATEFUL,
    "DaemonSet": WorkloadKind.DAEMON,
    "Job": WorkloadKind.JOB,
    "CronJob": WorkloadKind.JOB,
}
BESIDE = (
    "Pod",
    "Node",
    "Namespace",
    "HorizontalPodAutoscaler",
    "PodDisruptionBudget",
    "PersistentVolumeClaim",
    "PriorityClass",
)
_POD = {"CronJob": ("spec", "jobTemplate", "spec", "template"), "Pod": ()}
_TEMPLATE = ("spec", "template")

Selectors = tuple[Mapping[str, str], ...]
"""Labels of pods that a workload keeps off its nodes."""


def read_manifests(text: str, watch: Watch = unwatched) -> DemandReading:
    """Return the workloads of the text, every fault with line and column, and what was used and ignored.

    Parameters
    ----------
    text
        Objects of the Kubernetes API, as YAML or JSON.
    watch
        Told which share was read.

    """
    # Before anything is parsed: a bomb is known by its size, or by what its aliases add (see ``_yaml``).
    large = size_fault(len(text.encode("utf-8", "replace")))
    if large:
        return DemandReading((), (large,))
    # Large lists are read without the place of each value, and again with places where something is wrong.
    quick = load_quickly(text)
    if quick is not None:
        reading = _read(quick, Notes(), watch)
        if not reading.faults:
            return reading
    documents, faults = load_documents(text, lambda share: watch(LOADED * share))
    return _read(documents, Notes(faults=list(faults)), watch)


def _read(documents: Sequence[Located], notes: Notes, watch: Watch) -> DemandReading:
    objects: dict[str, list[Located]] = {}
    for item in _objects(documents, notes):
        objects.setdefault(item.text("kind"), []).append(item)
    # Workloads are looked at where they are read, as replica sets of deployments have to be left out first.
    _refuse_twice(objects, notes)
    # What others refer to comes first: claims and priorities are looked up while workloads are read.
    beside = around(objects, notes)
    pods = owned_pods(objects, notes)
    apart: dict[str, Selectors] = {}
    rows = list(_watched(_rows(objects, beside, apart, notes), sum(map(len, objects.values())), watch))
    made, counted = _from_pods(pods, {row.full_name for row in rows}, beside, apart, notes)
    rows += made
    labelled = Labelled(rows)
    rows = [_apart(row, apart.get(row.full_name, ()), rows, labelled) for row in rows]
    # After all rows are known: autoscalers and budgets name or select what they are about.
    rows = with_autoscalers(rows, objects.get("HorizontalPodAutoscaler", ()), notes)
    rows = with_budgets(rows, objects.get("PodDisruptionBudget", ()), notes)
    running = running_of(objects, pods, rows, notes)
    if not rows and running is None and not notes.faults:
        reason = "There is no workload in the text."
        notes.faults.append(Fault("manifest.empty", "", reason, "Paste the manifests of the workloads.", 1, 1))
    for kind, items in objects.items():
        for item in items:
            # Taken and not looked at, so that it is not told as a field that nobody reads.
            item.text("apiVersion")
            # A thousand replicas of one workload would each tell of the same fields.
            if id(item) not in counted:
                notes.tell_fields(item, kind)
    ignored = tuple(notes.ignored.values())
    return DemandReading(tuple(rows), tuple(notes.faults), ignored, notes.seen(), running, OF_WORKLOADS, notes.used())


def _apart(row: Demand, selectors: Selectors, rows: Sequence[Demand], labelled: Labelled) -> Demand:
    """Return the row with the names of those that its rules keep off its nodes: others of its namespace with such labels."""
    places = {index for chosen in selectors for index in labelled.chosen(row.namespace, chosen)}
    names = [rows[index].full_name for index in sorted(places) if rows[index].full_name != row.full_name]
    return replace(row, pod=replace(row.pod, apart=tuple(names))) if names else row


def _objects(documents: Sequence[Located], notes: Notes) -> Iterator[Located]:
    """Yield the API objects that are read, those inside lists too."""
    for document in documents:
        if document.value is None:
            continue
        kind = document.text("kind")
        entries = document.get("items")
        if not isinstance(document.value, dict) or not kind:
            reason = "This document is no API object: it has no kind."
            notes.faults.append(document.fault("manifest.kind", "kind", reason, "Add apiVersion, kind and metadata."))
        # Lists may hold lists; depth is bounded where the text is read.
        elif kind.endswith("List") and entries is not None:
            yield from _objects(entries.items(), notes)
        elif kind in KINDS or kind in BESIDE:
            yield document
        else:
            name = document.text("metadata", "name") or "without a name"
            notes.ignore(document.line, f"{kind} {name}", "it is no workload and changes none")


def _watched(rows: Iterator[Demand], about: int, watch: Watch) -> Iterator[Demand]:
    """Yield the rows, telling which share of about so many was read."""
    for number, row in enumerate(rows):
        if number % EVERY_ROWS == 0:
            watch(LOADED + (1 - LOADED) * number / max(about, 1))
        yield row


def _refuse_twice(objects: Mapping[str, Sequence[Located]], notes: Notes) -> None:
    """Note nodes and pods that are listed twice: each would count double."""
    for kind in ("Node", "Pod"):
        seen = set()
        for item in objects.get(kind, ()):
            name = "" if kind == "Node" else namespace_of(item), item.text("metadata", "name")
            if name in seen:
                reason = f"The {kind.lower()} '{name[1]}' is listed twice."
                notes.faults.append(item.fault("manifest.twice", "metadata.name", reason, "List it once."))
            seen.add(name)


def _rows(
    objects: Mapping[str, Sequence[Located]], beside: Around, apart: dict[str, Selectors], notes: Notes
) -> Iterator[Demand]:
    """Yield the workloads that the text states; those that another one makes are left to it."""
    seen: dict[str, int] = {}
    for item in objects.get("Namespace", ()):
        item.text("metadata", "name")
        notes.understood["namespace"] += 1
    for kind in KINDS:
        for item in objects.get(kind, ()):
            # A replica set of a deployment would count its pods a second time.
            if item.get("metadata", "ownerReferences"):
                notes.ignore(item.line, f"{kind} of another workload", "what made it is read instead")
                continue
            row = _workload(item, kind, beside, apart, notes)
            if row is None:
                continue
            if row.full_name in seen:
                reason = f"'{row.full_name}' stands on line {seen[row.full_name]} too."
                fix = "Rename or remove one of them."
                notes.faults.append(item.fault("demand.twice", "metadata.name", reason, fix))
            # The first keeps its line, so that a third is told of the first and not of the second.
            seen.setdefault(row.full_name, item.line)
            yield row


def _workload(
    item: Located, kind: str, beside: Around, apart: dict[str, Selectors], notes: Notes, name: str = ""
) -> Demand | None:
    """Return one workload, or None where its faults were noted; ``apart`` takes the labels it keeps off its nodes."""
    before = len(notes.faults)
    name = name or item.text("metadata", "name")
    if not name or "/" in name:
        notes.faults.append(item.fault("manifest.name", "metadata.name", "The object has no name.", "Give it one."))
        return None
    template = item if kind == "Pod" else item.get(*_POD.get(kind, _TEMPLATE))
    pod = template.get("spec") if template else None
    if template is None or pod is None:
        reason = f"'{name}' has no pod template."
        notes.faults.append(item.fault("manifest.pod", "spec.template.spec", reason, "Add spec.template.spec."))
        return None
    namespace, labels = namespace_of(item), template.mapping("metadata", "labels")
    shape = read_pod(pod, labels, namespace, beside, notes)
    detail = replace(shape.detail, volumes=(*shape.detail.volumes, *_templates(item, notes)))
    # Told and not refused: half of what runs in a young cluster requests nothing, and can be measured.
    if shape.request == Amounts() and len(notes.faults) == before:
        why = "it requests nothing: there is nothing to pack by until you state or measure it"
        notes.ignore(pod.line, f"request of {namespace}/{name}", why)
    row = Demand(
        namespace=namespace,
        name=name,
        kind=KINDS.get(kind, WorkloadKind.REPLICATED),
        replicas=_replicas(item, kind, notes),
        request=shape.request,
        zone_skew=shape.zone_skew,
        most_per_node=shape.most_per_node,
        node_labels=shape.node_labels,
        # That label is new with every rollout, and would make the same workload another one.
        labels={key: value for key, value in labels.items() if key != "pod-template-hash"},
        priority=shape.priority,
        pod=detail,
        provenance=Provenance(request_from=f"{kind} on line {item.line}"),
    )
    notes.understood[kind] += 1
    apart[row.full_name] = shape.apart_from
    return row if len(notes.faults) == before else None


def _templates(item: Located, notes: Notes) -> Iterator[Volume]:
    """Yield the volumes that every replica of a stateful workload gets for itself."""
    claims = item.get("spec", "volumeClaimTemplates")
    for entry in claims.items() if claims else []:
        name, spec = entry.text("metadata", "name"), entry.get("spec")
        if spec is not None:
            yield Volume(name, volume_size(spec, name, notes))


_REPLICAS = {
    "Job": ("spec", "parallelism"),
    "CronJob": ("spec", "jobTemplate", "spec", "parallelism"),
}


def _replicas(item: Located, kind: str, notes: Notes) -> int:
    """Return how many run: stated replicas, or the pods of a job that run at the same time."""
    # How many run follows from the nodes of the plan.
    if kind == "DaemonSet":
        return 0
    stated = None if kind == "Pod" else item.get(*_REPLICAS.get(kind, ("spec", "replicas")))
    if stated is None:
        return 1
    # To Python true is a number, namely one.
    if isinstance(stated.value, bool) or not isinstance(stated.value, int) or not 0 <= stated.value <= 10**6:
        reason = f"'{str(stated)[:40]}' is no number of replicas."
        fix = "Write a whole number from 0 to 1000000."
        notes.faults.append(stated.fault("manifest.replicas", "spec.replicas", reason, fix))
        return 1
    return stated.value


def _from_pods(
    pods: Sequence[OwnedPod], known: set[str], beside: Around, apart: dict[str, Selectors], notes: Notes
) -> tuple[list[Demand], set[int]]:
    """Return workloads that only their pods tell of, and which pods were only counted: each is one more replica."""
    found: dict[str, Demand] = {}
    counted = set()
    # A listing of a cluster may hold pods alone: what made them is told by their owner's name.
    for pod in pods:
        if pod.full_name in known or pod.full_name in found:
            counted.add(id(pod.item))
        if pod.full_name in found:
            row = found[pod.full_name]
            found[pod.full_name] = replace(row, replicas=row.replicas + (row.kind is not WorkloadKind.DAEMON))
        elif pod.full_name not in known:
            made = _workload(pod.item, "Pod", beside, apart, notes, pod.full_name.partition("/")[2])
            if made is not None:
                replicas = 0 if pod.kind is WorkloadKind.DAEMON else 1
                found[pod.full_name] = replace(made, kind=pod.kind, replicas=replicas)
    return list(found.values()), counted
