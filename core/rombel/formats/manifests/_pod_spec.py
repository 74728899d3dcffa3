"""A pod's specification: what one replica requests, where it may run, and how its replicas keep apart."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from rombel.errors import InputRefused
from rombel.formats._yaml import Located
from rombel.formats.manifests._notes import Notes
from rombel.model.demand import LOCAL_DISK, Container, PodDetail, Volume
from rombel.model.pod import Amounts, InitStep, effective_request
from rombel.model.quantity import cpu_millicores, memory_bytes
from rombel.model.study import HOST_LABEL, ZONE_LABEL

PLANNED = ("cpu", "memory")
EPHEMERAL = "ephemeral-storage"


@dataclass(frozen=True, slots=True)
class Around:
    """Other objects that pods refer to by name: sizes of claims, values of priority classes."""

    claims: Mapping[tuple[str, str], Located] = field(default_factory=dict)
    priorities: Mapping[str, int] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class PodShape:
    """What a pod specification says."""

    request: Amounts
    detail: PodDetail
    node_labels: Mapping[str, str]
    zone_skew: int | None
    most_per_node: int | None
    priority: int
    apart_from: tuple[Mapping[str, str], ...] = ()


def read_pod(pod: Located, carried: Mapping[str, str], namespace: str, around: Around, notes: Notes) -> PodShape:
    """Return what a pod specification asks for.

    Parameters
    ----------
    pod
        The specification.
    carried
        Labels of the pod, by which a rule may select itself.
    namespace, around
        Where claims and priority classes are looked up.
    notes
        Takes faults and what is left out.

    """
    containers = _containers(pod, notes)
    overhead = _amounts(pod.get("overhead"), notes)
    request = effective_request(
        [entry.request for entry in containers if entry.role == "regular"],
        [InitStep(entry.request, entry.role == "sidecar") for entry in containers if entry.role != "regular"],
        overhead,
    )
    spread = _spread(pod, carried, notes)
    detail = PodDetail(
        containers=tuple(containers),
        overhead=overhead,
        tolerations=tuple(_tolerations(pod)),
        volumes=tuple(_claims(pod, namespace, around, notes)),
        start_up_s=_start_up(pod),
        resources=_named(pod, notes),
        node_skew=spread.node_skew,
        zone_skew_wish=spread.zone_skew_wish,
    )
    labels, priority = _node_labels(pod, notes), _priority(pod, around, notes)
    return PodShape(request, detail, labels, spread.zone_skew, spread.most_per_node, priority, tuple(spread.apart_from))


def _named(pod: Located, notes: Notes) -> dict[str, int]:
    """Return what one replica requests of local disk and of resources that only their names tell of.

    The rule of containers and init steps holds for each of them as it does for CPU.
    """
    found: list[tuple[str, dict[str, int]]] = []
    for key, role in (("containers", "regular"), ("initContainers", "init")):
        entries = pod.get(key)
        for entry in entries.items() if entries else []:
            # An init container that always restarts runs beside the others for good, and is added to them.
            own = "sidecar" if role == "init" and entry.text("restartPolicy") == "Always" else role
            # The API's rule once more: what no request says is taken from the limit.
            limits = _named_amounts(entry.get("resources", "limits"), notes)
            found.append((own, limits | _named_amounts(entry.get("resources", "requests"), notes)))
    names = sorted({name for _, amounts in found for name in amounts})
    whole = {name: _effective([(role, amounts.get(name, 0)) for role, amounts in found]) for name in names}
    return {name: amount for name, amount in whole.items() if amount}


def _effective(parts: Sequence[tuple[str, int]]) -> int:
    """Return what a pod requests of one resource."""
    regular = [Amounts(amount) for role, amount in parts if role == "regular"]
    steps = [InitStep(Amounts(amount), role == "sidecar") for role, amount in parts if role != "regular"]
    return effective_request(regular, steps).cpu_millicores


def _is_named(key: str) -> bool:
    """Return whether a resource is packed by its name: local disk, and those of a domain."""
    return key == EPHEMERAL or "/" in key


def _named_amounts(stated: Located | None, notes: Notes) -> dict[str, int]:
    if stated is None or not isinstance(stated.value, dict):
        return {}
    names = {key: LOCAL_DISK if key == EPHEMERAL else key for key in stated.value if _is_named(key)}
    return {name: read_quantity(stated.get(key), f"resources.{key}", notes) for key, name in names.items()}


def _containers(pod: Located, notes: Notes) -> list[Container]:
    """Return the containers, init containers in their order first."""
    regular = pod.get("containers")
    if regular is None or not regular.items():
        reason = "The pod has no containers."
        notes.faults.append(pod.fault("manifest.containers", "containers", reason, "List at least one container."))
        return []
    inits = pod.get("initContainers")
    found = []
    for entry in inits.items() if inits else []:
        found.append(_container(entry, "sidecar" if entry.text("restartPolicy") == "Always" else "init", notes))
    found += [_container(entry, "regular", notes) for entry in regular.items()]
    return found


def _container(entry: Located, role: str, notes: Notes) -> Container:
    requests, limits = entry.get("resources", "requests"), entry.get("resources", "limits")
    notes.understood[f"{role} container"] += 1
    limit = _amounts(limits, notes)
    asked = _amounts(requests, notes)
    # The API's rule: a request left out is taken from the limit.
    request = Amounts(
        asked.cpu_millicores if requests and requests.get("cpu") else limit.cpu_millicores,
        asked.memory_bytes if requests and requests.get("memory") else limit.memory_bytes,
    )
    return Container(entry.text("name"), role, request, limit)


def _amounts(stated: Located | None, notes: Notes) -> Amounts:
    """Return CPU and memory of a resource list; other resources are noted."""
    if stated is None or not isinstance(stated.value, dict):
        return Amounts()
    for key, entry in stated.value.items():
        if key not in PLANNED and not _is_named(key):
            entry.read = True
            notes.ignore(entry.line, f"resource {key}", "only resources with a domain in their name are packed")
    return Amounts(
        read_quantity(stated.get("cpu"), "resources.cpu", notes),
        read_quantity(stated.get("memory"), "resources.memory", notes),
    )


def read_quantity(stated: Located | None, path: str, notes: Notes) -> int:
    """Return millicores where the path ends in ``cpu``, else whole units; 0 where nothing stands or it is a fault."""
    if stated is None:
        return 0
    # Taken literally 100m of memory is a tenth of a byte; who writes it means mebibytes, and we do not guess.
    if path.endswith("memory") and str(stated)[-1:] in ("m", "u", "n"):
        reason = f"'{str(stated)[:40]}' is a part of a byte: m is a thousandth."
        notes.faults.append(stated.fault("quantity.unit", path, reason, "Write Mi for mebibytes, such as 100Mi."))
        return 0
    try:
        return (cpu_millicores if path.endswith(".cpu") else memory_bytes)(str(stated), path)
    except InputRefused as refused:
        notes.faults += [stated.fault(f.code, f.path, f.reason, f.fix) for f in refused.faults]
        return 0


def volume_size(claim: Located, name: str, notes: Notes) -> int:
    """Return the bytes that a claim's specification requests; one that names no size is a fault."""
    stated = claim.get("resources", "requests", "storage")
    if stated is None:
        reason = f"The claim '{name}' names no size."
        notes.faults.append(claim.fault("manifest.claim", "resources.requests.storage", reason, "Add the size."))
        return 0
    return read_quantity(stated, "resources.storage", notes)


def _claims(pod: Located, namespace: str, around: Around, notes: Notes) -> list[Volume]:
    """Return the volumes that a pod claims by name."""
    found = []
    volumes = pod.get("volumes")
    for entry in volumes.items() if volumes else []:
        name = entry.text("persistentVolumeClaim", "claimName")
        if not name:
            continue
        claim = around.claims.get((namespace, name))
        if claim is None:
            notes.ignore(entry.line, f"size of claim {name}", "the claim is not in the text; its attachment is counted")
        found.append(Volume(name, volume_size(claim, name, notes) if claim else 0))
    return found


def _tolerations(pod: Located) -> list[str]:
    found = []
    stated = pod.get("tolerations")
    for entry in stated.items() if stated else []:
        key, value, effect = entry.text("key"), entry.text("value"), entry.text("effect")
        # Read so that it is not told as ignored: without a value a toleration says that the key exists.
        entry.text("operator")
        found.append(f"{key or '*'}{'=' + value if value else ''}{':' + effect if effect else ''}")
    return found


def _start_up(pod: Located) -> int | None:
    """Return the longest wait before a container counts as ready, as its probes state it; None: they do not."""
    waits = []
    containers = pod.get("containers")
    for entry in containers.items() if containers else []:
        for probe in ("readinessProbe", "startupProbe"):
            # How long it really takes is measured, not stated: this is what is promised at least.
            delay = entry.get(probe, "initialDelaySeconds")
            if delay is not None and isinstance(delay.value, int):
                waits.append(delay.value)
    return max(waits, default=None)


def _priority(pod: Located, around: Around, notes: Notes) -> int:
    stated = pod.get("priority")
    if stated is not None and isinstance(stated.value, int):
        pod.text("priorityClassName")
        return stated.value
    name = pod.text("priorityClassName")
    if name and name not in around.priorities:
        notes.ignore(pod.line, f"priority class {name}", "the class is not in the text")
    return around.priorities.get(name, 0)


def _node_labels(pod: Located, notes: Notes) -> dict[str, str]:
    """Return the labels a node must carry: the node selector, and required affinity for one value of a label."""
    selector = pod.get("nodeSelector")
    if selector is not None and not isinstance(selector.value, dict):
        reason = "The node selector is no mapping of labels."
        notes.faults.append(selector.fault("manifest.selector", "nodeSelector", reason, "Write label: value lines."))
    labels = pod.mapping("nodeSelector")
    required = "requiredDuringSchedulingIgnoredDuringExecution"
    terms = pod.get("affinity", "nodeAffinity", required, "nodeSelectorTerms")
    if terms is not None and len(terms.items()) == 1:
        expressions = terms.items()[0].get("matchExpressions")
        for entry in expressions.items() if expressions else []:
            values = entry.get("values")
            if entry.text("operator") == "In" and values is not None and len(values.items()) == 1:
                values.items()[0].read = True
                labels[entry.text("key")] = str(values.items()[0].value)
            else:
                notes.ignore(entry.line, "a node affinity rule", "only one value of a label is planned with")
    elif terms is not None:
        notes.ignore(terms.line, "node affinity with a choice of terms", "only one term is planned with")
    return labels


@dataclass(slots=True)
class _Spread:
    """How replicas keep apart: from each other over zones and nodes, and from pods that carry certain labels."""

    zone_skew: int | None = None
    zone_skew_wish: int | None = None
    node_skew: int | None = None
    most_per_node: int | None = None
    apart_from: list[Mapping[str, str]] = field(default_factory=list)


def _spread(pod: Located, carried: Mapping[str, str], notes: Notes) -> _Spread:
    """Return how replicas keep apart."""
    found = _Spread()
    constraints = pod.get("topologySpreadConstraints")
    for entry in constraints.items() if constraints else []:
        wide, key = entry.get("maxSkew"), entry.text("topologyKey")
        entry.mapping("labelSelector", "matchLabels")
        soft = entry.text("whenUnsatisfiable") == "ScheduleAnyway"
        if soft and key != ZONE_LABEL:
            notes.ignore(
                entry.line, f"a soft spread over {key}", "only a wish for the spread over zones is planned with"
            )
        elif not key or wide is None or not isinstance(wide.value, int) or wide.value < 1:
            reason = "A spread constraint needs topologyKey and a maxSkew of at least 1."
            notes.faults.append(entry.fault("manifest.spread", "topologySpreadConstraints", reason, "Give it both."))
        elif key == ZONE_LABEL and soft:
            found.zone_skew_wish = min(wide.value, found.zone_skew_wish or wide.value)
        elif key == ZONE_LABEL:
            found.zone_skew = min(wide.value, found.zone_skew or wide.value)
        elif key == HOST_LABEL:
            found.node_skew = min(wide.value, found.node_skew or wide.value)
        else:
            notes.ignore(entry.line, f"spread over {key}", "only the spread over zones and nodes is planned with")
    terms = pod.get("affinity", "podAntiAffinity", "requiredDuringSchedulingIgnoredDuringExecution")
    for term in terms.items() if terms else []:
        chosen = term.mapping("labelSelector", "matchLabels")
        # A rule that its own pods meet keeps replicas apart from each other: one a node.
        itself = bool(chosen) and all(carried.get(key) == value for key, value in chosen.items())
        if term.text("topologyKey") != HOST_LABEL or not chosen:
            why = "only rules against labels on a host are planned with"
            notes.ignore(term.line, "an anti-affinity rule", why)
        elif itself:
            found.most_per_node = 1
        else:
            found.apart_from.append(chosen)
    return found
