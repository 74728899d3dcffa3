"""What runs against what was planned: every difference in words and counts, and how each pool is."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from enum import StrEnum
from ipaddress import IPv4Network, IPv6Network, ip_network

from rombel.model.build import Version, read_version, told_version
from rombel.model.pod import Amounts
from rombel.model.quantity import show_cpu, show_memory
from rombel.model.running import Running, RunningNode
from rombel.model.words import some

Network = IPv4Network | IPv6Network

Place = tuple[str, str]
"""Instance type and zone."""


class DriftKind(StrEnum):
    """What differs, in the order in which it is told."""

    NODES = "nodes"
    VERSION = "version"
    RANGE = "range"
    WAITING = "waiting"
    MISSING = "missing"
    UNPLANNED = "unplanned"
    REPLICAS = "replicas"
    SPREAD = "spread"
    REQUESTS = "requests"
    LIMITS = "limits"


@dataclass(frozen=True, slots=True)
class PlannedPool:
    """Nodes of a type in a zone: those planned, and between which numbers autoscaling keeps them."""

    nodes: int
    least: int
    most: int


@dataclass(frozen=True, slots=True)
class PlannedWorkload:
    """What is planned of a workload: between which numbers its replicas are, what one requests and is limited to, and its spread.

    ``daemon``: it runs on every node, so that its replicas follow from them.
    """

    name: str
    least: int
    most: int
    request: Amounts
    limit: Amounts = field(default_factory=Amounts)
    zone_skew: int | None = None
    zones: tuple[str, ...] = ()
    daemon: bool = False


@dataclass(frozen=True, slots=True)
class Planned:
    """What a plan says of what runs; ``version`` empty: none is stated; ``pod_ranges`` empty: none are planned."""

    pools: Mapping[Place, PlannedPool]
    workloads: Sequence[PlannedWorkload]
    version: str = ""
    pod_ranges: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Drift:
    """One difference.

    Parameters
    ----------
    kind, where
        What differs, and of which workload or pool.
    planned, actual
        Both sides, as people read them.
    count
        How many nodes or replicas are concerned.
    takes
        Cells of the demand sheet, by column, that would say what runs; empty: the sheet has nothing to say of it.

    """

    kind: DriftKind
    where: str
    planned: str
    actual: str
    count: int
    takes: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class PoolHealth:
    """How a pool is: nodes planned, standing and not ready, and the shares of what they offer that replicas request."""

    instance_type: str
    zone: str
    planned: PlannedPool
    nodes: int
    not_ready: int
    versions: tuple[str, ...]
    cpu_share: float
    memory_share: float


@dataclass(frozen=True, slots=True)
class Compared:
    """All differences, the health of every pool, and whether the listing has anything in common with the plan."""

    drifts: tuple[Drift, ...]
    pools: tuple[PoolHealth, ...]
    is_of_plan: bool


def compare_running(planned: Planned, running: Running) -> Compared:
    """Return what differs between a plan and a listing.

    Numbers within their limits of autoscaling are no difference. Complexity: linear in nodes, and in workloads times the nodes that
    carry them.
    """
    by_place: dict[Place, list[RunningNode]] = {}
    for node in running.nodes:
        by_place.setdefault((node.instance_type, node.zone), []).append(node)
    drifts = [
        *_nodes(planned, by_place),
        *_versions(planned, running.nodes),
        *_ranges(planned, running.nodes),
        *_workloads(planned, running),
    ]
    # What is gravest for whoever runs it first, and within that by name, so that two listings can be laid side by side.
    drifts.sort(key=lambda own: (list(DriftKind).index(own.kind), own.where))
    known = {workload.name for workload in planned.workloads}
    told = {name for here in running.replicas.values() for name in here}
    # Without anything in common it is most likely the listing of another cluster; whoever reads it is told so first.
    common = bool(known & told) or bool(planned.pools.keys() & by_place.keys())
    return Compared(tuple(drifts), tuple(_health(planned, by_place, running)), common)


def _nodes(planned: Planned, by_place: Mapping[Place, Sequence[RunningNode]]) -> Iterator[Drift]:
    for place in {**planned.pools, **by_place}:
        pool, nodes = planned.pools.get(place), len(by_place.get(place, ()))
        where = f"{place[0] or 'a type that is not told'} in {place[1] or 'a zone that is not told'}"
        if pool is None:
            yield Drift(DriftKind.NODES, where, "no such pool", _some(nodes, "node"), nodes)
        # Told against the planned number, though judged by the limits: people think in what they planned.
        elif not pool.least <= nodes <= pool.most:
            bounds = f", {pool.least} to {pool.most}" if pool.least < pool.most else ""
            yield Drift(
                DriftKind.NODES,
                where,
                _some(pool.nodes, "node") + bounds,
                _some(nodes, "node"),
                abs(nodes - pool.nodes),
            )


def _some(count: int, what: str) -> str:
    return f"{count} {what}" + ("s" if count != 1 else "")


def _versions(planned: Planned, nodes: Sequence[RunningNode]) -> Iterator[Drift]:
    """Yield versions other than the planned one; patches of a minor are alike."""
    wanted = read_version(planned.version) if planned.version else None
    counted = Counter(_minor(node.version) for node in nodes if node.version)
    if wanted is not None:
        for version, count in counted.items():
            if version != str(wanted):
                yield Drift(DriftKind.VERSION, f"nodes of {version}", str(wanted), version, count)
    elif len(counted) > 1:
        # No version is planned: nodes that differ among themselves are an upgrade that stands still.
        newest = max(counted, key=lambda text: told_version(text) or Version(0, 0))
        for version, count in counted.items():
            if version != newest:
                yield Drift(DriftKind.VERSION, f"nodes of {version}", f"all alike, such as {newest}", version, count)


def _minor(text: str) -> str:
    found = told_version(text)
    return text if found is None else str(found)


def _ranges(planned: Planned, nodes: Sequence[RunningNode]) -> Iterator[Drift]:
    """Yield ranges of pods, by zone, that lie in none that is planned."""
    wanted = [ip_network(text, strict=False) for text in planned.pod_ranges]
    outside: dict[str, list[str]] = {}
    for node in nodes:
        if wanted and node.pod_range and not _lies_in(node.pod_range, wanted):
            outside.setdefault(node.zone, []).append(node.pod_range)
    for zone, found in outside.items():
        yield Drift(DriftKind.RANGE, f"pods in {zone}", some(planned.pod_ranges), some(found), len(found))


def _lies_in(text: str, wanted: Sequence[Network]) -> bool:
    try:
        own = ip_network(text, strict=False)
    # What cannot be read as a range lies in none, and is told as it stands.
    except ValueError:
        return False
    return any(own.version == each.version and own.subnet_of(each) for each in wanted)  # type: ignore[arg-type]


def _workloads(planned: Planned, running: Running) -> Iterator[Drift]:
    zones = {node.name: node.zone for node in running.nodes}
    placed: dict[str, Counter[str]] = {}
    for node, here in running.replicas.items():
        for name, count in here.items():
            placed.setdefault(name, Counter())[zones.get(node, "")] += count
    for workload in planned.workloads:
        # Taken out as they are met: what is left at the end nobody planned.
        by_zone, waiting = placed.pop(workload.name, Counter()), running.waiting.get(workload.name, 0)
        yield from _counted(workload, by_zone, waiting)
        yield from _requested(workload, running)
    for name, by_zone in placed.items():
        runs = sum(by_zone.values())
        yield Drift(DriftKind.UNPLANNED, name, "not in the sheet", _some(runs, "replica"), runs)


def _counted(workload: PlannedWorkload, by_zone: Mapping[str, int], waiting: int) -> Iterator[Drift]:
    runs = sum(by_zone.values())
    if waiting:
        yield Drift(DriftKind.WAITING, workload.name, "every replica on a node", f"{waiting} without a node", waiting)
    # Their replicas follow from the nodes, whose difference is told already.
    if workload.daemon:
        return
    stated = str(workload.least) if workload.least == workload.most else f"{workload.least} to {workload.most}"
    there = runs + waiting
    if not there and workload.least:
        yield Drift(DriftKind.MISSING, workload.name, _some(workload.least, "replica"), "does not run", workload.least)
        return
    if not workload.least <= there <= workload.most:
        far = workload.least - there if there < workload.least else there - workload.most
        # Waiting ones count: they were asked for, and the sheet says what is asked for.
        takes = {"replicas": str(there)}
        yield Drift(DriftKind.REPLICAS, workload.name, f"{stated} replicas", _some(there, "replica"), far, takes)
    if workload.zone_skew is not None and runs:
        # A zone without a replica counts as one of none, where the zones are known.
        counts = [by_zone.get(zone, 0) for zone in workload.zones or by_zone]
        skew = max(counts) - min(counts)
        if skew > workload.zone_skew:
            told = ", ".join(f"{zone} {by_zone.get(zone, 0)}" for zone in workload.zones or by_zone)
            wanted, takes = f"differs by {workload.zone_skew} at most", {"zone_skew": str(skew)}
            yield Drift(DriftKind.SPREAD, workload.name, wanted, told, skew - workload.zone_skew, takes)


def _requested(workload: PlannedWorkload, running: Running) -> Iterator[Drift]:
    told = running.workloads.get(workload.name)
    if told is None:
        return
    runs = sum(here.get(workload.name, 0) for here in running.replicas.values())
    # What is stated on neither side, or by a listing that leaves requests out, is no difference.
    if told.request != Amounts() and told.request != workload.request:
        takes = {"cpu": show_cpu(told.request.cpu_millicores), "memory": show_memory(told.request.memory_bytes)}
        yield Drift(DriftKind.REQUESTS, workload.name, _shown(workload.request), _shown(told.request), runs, takes)
    if workload.limit != Amounts() and told.limit != workload.limit:
        yield Drift(DriftKind.LIMITS, workload.name, _shown(workload.limit), _shown(told.limit), runs)


def _shown(amounts: Amounts) -> str:
    cpu = show_cpu(amounts.cpu_millicores) if amounts.cpu_millicores else "no"
    memory = show_memory(amounts.memory_bytes) if amounts.memory_bytes else "no"
    return f"{cpu} CPU, {memory} memory"


def _health(
    planned: Planned, by_place: Mapping[Place, Sequence[RunningNode]], running: Running
) -> Iterator[PoolHealth]:
    requests = {workload.name: workload.request for workload in planned.workloads}
    # What runs requests what the listing says; the plan stands in where that is silent.
    requests |= {name: told.request for name, told in running.workloads.items() if told.request != Amounts()}
    for place in sorted({**planned.pools, **by_place}):
        nodes = by_place.get(place, ())
        cpu = memory = 0
        for node in nodes:
            for name, count in running.replicas.get(node.name, {}).items():
                own = requests.get(name, Amounts())
                cpu, memory = cpu + count * own.cpu_millicores, memory + count * own.memory_bytes
        offered = sum(node.allocatable.cpu_millicores for node in nodes)
        room = sum(node.allocatable.memory_bytes for node in nodes)
        yield PoolHealth(
            *place,
            planned.pools.get(place, PlannedPool(0, 0, 0)),
            len(nodes),
            sum(not node.ready for node in nodes),
            tuple(sorted({_minor(node.version) for node in nodes if node.version})),
            cpu / offered if offered else 0.0,
            memory / room if room else 0.0,
        )
