"""Demand from a file of the Compose specification: services with replicas, reservations, limits and placement.

Byte amounts there count in powers of 1024 whatever the unit's spelling (``512m``, ``1.5gb``; from memory), CPUs are a
decimal number. Variables count with the default that the file states; one without a default is refused where it matters.
"""

from __future__ import annotations

import math
import re
from collections.abc import Iterator
from dataclasses import replace
from fractions import Fraction

from rombel.errors import Fault, InputRefused, refuse
from rombel.formats._yaml import Located, load_documents
from rombel.formats.manifests._notes import NOT_ASKED, Notes
from rombel.formats.reading import LOADED, OF_WORKLOADS, DemandReading, Watch, size_fault, unwatched
from rombel.model.demand import Container, Demand, PodDetail, Provenance, Volume, WorkloadKind
from rombel.model.pod import Amounts
from rombel.model.quantity import cpu_millicores
from rombel.model.study import ZONE_LABEL

_BYTES = re.compile(r"([0-9]+(?:\.[0-9]+)?)\s*(b|k|kb|m|mb|g|gb)?", re.IGNORECASE)
_UNITS = {"": 0, "b": 0, "k": 1, "m": 2, "g": 3}
_VARIABLE = re.compile(r"\$\{[A-Za-z_][A-Za-z0-9_]*:?-([^}]*)\}")
_CONSTRAINT = re.compile(r"\s*(?:node|engine)\.labels\.([^=! ]+)\s*==\s*(.+?)\s*")


def read_compose(text: str, watch: Watch = unwatched) -> DemandReading:
    """Return the services of the text as workloads, every fault with its place, and what was used and ignored."""
    large = size_fault(len(text.encode("utf-8", "replace")))
    if large:
        return DemandReading((), (large,))
    documents, faults = load_documents(text, lambda share: watch(LOADED * share))
    notes, rows = Notes(faults=list(faults)), []
    for document in documents:
        services = document.get("services")
        if services is None or not isinstance(services.value, dict):
            reason = "There is no mapping of services in the text."
            notes.faults.append(document.fault("compose.services", "services", reason, "Paste a whole Compose file."))
            continue
        project = document.text("name") or "default"
        volumes = document.get("volumes")
        # Only volumes that the file declares are kept: a path of the host is gone with its node.
        named = set(volumes.value) if volumes is not None and isinstance(volumes.value, dict) else set()
        rows += [_service(name, item, project, named, notes) for name, item in services.value.items()]
        notes.fields.update(re.sub(r"^services\.[^.]+", "service", path) for path in document.taken())
        # Whatever nobody asked for is told: a reader that is silent on what it leaves out is not trusted.
        for path, line in document.unread():
            notes.ignore(line, re.sub(r"^services\.[^.]+", "service", path), NOT_ASKED)
    if not rows and not notes.faults:
        reason = "There is no service in the text."
        notes.faults.append(Fault("compose.services", "", reason, "Paste a whole Compose file.", 1, 1))
    ignored = tuple(notes.ignored.values())
    return DemandReading(
        tuple(rows), tuple(notes.faults), ignored, notes.seen(), speaks=OF_WORKLOADS, fields=notes.used()
    )


def _service(name: str, item: Located, project: str, named: set[str], notes: Notes) -> Demand:
    reader = _Reader(item, name, notes)
    if not name or "/" in name:
        notes.faults.append(item.fault("compose.name", "services", f"'{name[:60]}' is no name.", "Leave slashes out."))
    everywhere = item.text("deploy", "mode").startswith("global")
    limit = Amounts(
        reader.cpus("deploy.resources.limits.cpus", "cpus"),
        reader.memory("deploy.resources.limits.memory", "mem_limit"),
    )
    asked = Amounts(
        reader.cpus("deploy.resources.reservations.cpus"),
        reader.memory("deploy.resources.reservations.memory", "mem_reservation"),
    )
    # As with the API: what is not reserved is taken from the limit.
    request = Amounts(asked.cpu_millicores or limit.cpu_millicores, asked.memory_bytes or limit.memory_bytes)
    if request == Amounts():
        why = "it reserves and limits nothing: there is nothing to pack by until you state or measure it"
        notes.ignore(item.line, f"request of {name}", why)
    if item.get("deploy", "resources", "reservations", "devices"):
        notes.ignore(item.line, f"devices of {name}", "only CPU, memory, pods and volumes are packed")
    volumes = tuple(_volumes(item, named))
    notes.understood["service"] += 1
    row = Demand(
        namespace=project,
        name=name,
        # Data that stays makes it matter which replica is which.
        kind=WorkloadKind.STATEFUL if volumes else WorkloadKind.REPLICATED,
        replicas=reader.count("deploy.replicas", "scale", default=1),
        request=request,
        most_per_node=reader.count("deploy.placement.max_replicas_per_node", default=0) or None,
        zone_skew=_skew(item, notes),
        node_labels=dict(_constraints(item, notes)),
        labels=item.mapping("deploy", "labels") or item.mapping("labels"),
        pod=PodDetail(containers=(Container(name, "regular", request, limit),), volumes=volumes),
        provenance=Provenance(request_from=f"service on line {item.line}"),
    )
    return replace(row, kind=WorkloadKind.DAEMON, replicas=0) if everywhere else row


class _Reader:
    """Reads amounts of one service, each under the first of its names that stands there."""

    def __init__(self, item: Located, name: str, notes: Notes) -> None:
        self._item, self._name, self._notes = item, name, notes

    def cpus(self, *paths: str) -> int:
        """Return millicores, rounded up."""
        return self._take(paths, _millicores)

    def memory(self, *paths: str) -> int:
        """Return bytes, rounded up."""
        return self._take(paths, _bytes)

    def count(self, *paths: str, default: int) -> int:
        """Return a whole number."""
        return self._take(paths, _whole, default)

    def _take(self, paths: tuple[str, ...], parse: object, default: int = 0) -> int:
        for path in paths:
            stated = self._item.get(*path.split("."))
            if stated is None:
                continue
            try:
                return parse(_resolved(str(stated)))  # type: ignore[operator,no-any-return]
            except InputRefused as refused:
                self._notes.faults += [
                    stated.fault(f.code, f"services.{self._name}.{path}", f.reason, f.fix) for f in refused.faults
                ]
        return default


def _resolved(text: str) -> str:
    """Return the text with variables replaced by their defaults."""
    done = _VARIABLE.sub(lambda match: match.group(1), text)
    if "$" in done:
        reason = f"'{text[:80]}' has a variable without a default."
        raise refuse("compose.variable", "", reason, "Write its value, or a default: ${NAME:-value}.")
    return done


def _millicores(text: str) -> int:
    if not re.fullmatch(r"[0-9]{0,6}\.?[0-9]{0,9}", text) or not text.strip("."):
        raise refuse("compose.cpus", "", f"'{text[:40]}' is no number of CPUs.", "Write a decimal such as 0.5.")
    return cpu_millicores(text)


def _bytes(text: str) -> int:
    match = _BYTES.fullmatch(text)
    if match is None:
        raise refuse("compose.bytes", "", f"'{text[:40]}' is no amount of bytes.", "Write one such as 512m or 2gb.")
    number, unit = match.groups()
    # Units of this format are powers of 1024, b or not.
    amount: Fraction = Fraction(number) * 1024 ** _UNITS[(unit or "").lower().removesuffix("b") or ""]
    return math.ceil(amount)


def _whole(text: str) -> int:
    if not text.isascii() or not text.isdigit() or len(text) > 6:
        raise refuse("compose.count", "", f"'{text[:40]}' is no whole number.", "Write one from 0 to 999999.")
    return int(text)


def _volumes(item: Located, named: set[str]) -> Iterator[Volume]:
    """Yield the named volumes; what is bound from the host or kept in memory is none."""
    stated = item.get("volumes")
    for entry in stated.items() if stated else []:
        source = entry.text("source") if isinstance(entry.value, dict) else str(entry.value).partition(":")[0]
        entry.text("type"), entry.text("target")
        if source in named:
            entry.read = True
            yield Volume(source, 0)


def _constraints(item: Located, notes: Notes) -> Iterator[tuple[str, str]]:
    stated = item.get("deploy", "placement", "constraints")
    for entry in stated.items() if stated else []:
        entry.read = True
        match = _CONSTRAINT.fullmatch(entry.text())
        if match:
            yield match.group(1), match.group(2)
        else:
            notes.ignore(entry.line, f"constraint {entry}", "only equal labels of nodes are planned with")


def _skew(item: Located, notes: Notes) -> int | None:
    """Return 1 where replicas spread over the label of zones."""
    stated = item.get("deploy", "placement", "preferences")
    skew = None
    for entry in stated.items() if stated else []:
        label = entry.text("spread").rpartition("labels.")[2]
        if label in ("zone", ZONE_LABEL):
            skew = 1
        else:
            notes.ignore(entry.line, f"spread over {label}", "only the spread over zones is planned with")
    return skew
