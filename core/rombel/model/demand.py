"""What must run: workloads with all that a planner knows of them, as plain values."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from enum import StrEnum

from rombel.model.fit_problem import STRICTER, Survival
from rombel.model.pod import Amounts
from rombel.model.traffic import Traffic


class WorkloadKind(StrEnum):
    """How the replicas of a workload behave."""

    REPLICATED = "replicated"
    STATEFUL = "stateful"
    DAEMON = "daemon"
    JOB = "job"


class Level(StrEnum):
    """How much is asked of the platform at a time."""

    TROUGH = "trough"
    USUAL = "usual"
    PEAK = "peak"
    GROWN = "grown"


class Basis(StrEnum):
    """What the number of replicas at each demand level comes from."""

    FIXED = "fixed"
    RANGE = "range"
    RATE = "rate"
    QUEUE = "queue"
    USAGE = "usage"


@dataclass(frozen=True, slots=True)
class Sizing:
    """How many replicas run at which level.

    Parameters
    ----------
    basis
        ``fixed``: the stated replicas at every level. ``range``: the fewest at trough, the stated at usual, the most at
        peak. ``rate``: loads are arrivals a second, each replica bears ``per_replica`` of them at full load. ``queue``:
        loads are arrivals a second, each served in ``service_s`` on average by one replica, and at most
        ``late_percent`` of them wait longer than ``wait_s`` (Erlang C). ``usage``: loads are millicores busy, all
        replicas together.
    least, most
        Bounds of the autoscaler; None: none.
    target_percent
        Load that a replica should carry, of its full rate or of its CPU request.
    trough, usual, peak
        The loads, in the unit of the basis.
    growth_percent
        Growth up to the grown peak; None: the study's.
    runs_at
        The levels at which it runs at all, a nightly job at trough alone; empty: at every one. The grown peak goes with the peak.

    """

    basis: Basis = Basis.FIXED
    least: int | None = None
    most: int | None = None
    target_percent: int = 70
    trough: float = 0.0
    usual: float = 0.0
    peak: float = 0.0
    per_replica: float | None = None
    service_s: float | None = None
    wait_s: float | None = None
    late_percent: float = 5.0
    growth_percent: int | None = None
    runs_at: tuple[Level, ...] = ()

    def runs(self, level: Level) -> bool:
        """Return whether anything runs at a level."""
        # The grown peak is a peak to come: what runs at peak runs then too.
        return not self.runs_at or level in self.runs_at or (level is Level.GROWN and Level.PEAK in self.runs_at)

    def faults(self) -> Iterator[tuple[str, str, str]]:
        """Yield what is wrong: the field, the reason, and what would fix it."""
        if self.least is not None and self.most is not None and self.least > self.most:
            yield "most", f"The most replicas ({self.most}) are below the fewest ({self.least}).", "Swap them."
        if self.basis is Basis.RANGE and (self.least is None or self.most is None):
            yield "least", "A range needs its fewest and its most replicas.", "State both."
        if self.basis in (Basis.RATE, Basis.QUEUE, Basis.USAGE):
            # Equal levels are fine; falling ones are a slip of columns.
            if not 0 <= self.trough <= self.usual <= self.peak:
                yield "peak_load", "Loads must rise from trough over usual to peak.", "Put them in that order."
            if self.peak == 0:
                yield "peak_load", "There is no load at peak.", "State the load at each level."
        if self.basis is Basis.RATE and not self.per_replica:
            yield "per_replica", "A rate needs what one replica bears.", "State arrivals a second of one replica."
        if self.basis is Basis.QUEUE and not (self.service_s and self.wait_s):
            yield "service_s", "A queue needs its service time and its longest wait.", "State both in seconds."


@dataclass(frozen=True, slots=True)
class Container:
    """One container of a pod; ``role`` is ``regular``, ``init`` or ``sidecar``."""

    name: str
    role: str
    request: Amounts
    limit: Amounts = field(default_factory=Amounts)


@dataclass(frozen=True, slots=True)
class Volume:
    """A volume that every replica has for itself; a zonal one cannot follow into another zone."""

    name: str
    size_bytes: int
    zonal: bool = True


OWN_FIELDS = frozenset({"cpu_millicores", "memory_bytes", "pods", "volume_attachments"})
"""Resources that a workload states in fields of their own."""

ACCELERATORS = "accelerators"
"""The resource that a price list's accelerators are."""

LOCAL_DISK = "local_disk_bytes"
"""The resource that ephemeral storage is packed by."""


@dataclass(frozen=True, slots=True)
class PodDetail:
    """What is known of a pod beyond its request.

    Parameters
    ----------
    resources
        What a replica requests of local disk (``LOCAL_DISK``, bytes), accelerators and other named resources.
    node_skew
        Largest difference of its counts over the nodes it may use; None: free.
    zone_skew_wish
        A difference over zones that is wished for where it costs nothing; it guarantees nothing.
    apart
        Full names of workloads of which no replica may share a node with one of this.
    any_architecture
        Whether it is known to run on every architecture, so that the house's default does not bind it.

    """

    containers: tuple[Container, ...] = ()
    overhead: Amounts = field(default_factory=Amounts)
    tolerations: tuple[str, ...] = ()
    volumes: tuple[Volume, ...] = ()
    start_up_s: int | None = None
    resources: Mapping[str, int] = field(default_factory=dict)
    node_skew: int | None = None
    zone_skew_wish: int | None = None
    apart: tuple[str, ...] = ()
    any_architecture: bool = False

    @property
    def bound_to_zone(self) -> bool:
        """Return whether a volume keeps its replicas in the zone where they stand."""
        return any(volume.zonal for volume in self.volumes)


@dataclass(frozen=True, slots=True)
class Partitioned:
    """Data in partitions, each with copies on different replicas, one of them its leader.

    Parameters
    ----------
    partitions, copies
        At least 1 each.
    data_bytes
        Of one copy of all partitions.
    resync_bytes_per_s
        How fast one replica takes in copies; None: not known.

    """

    partitions: int
    copies: int
    data_bytes: int = 0
    resync_bytes_per_s: int | None = None

    @property
    def ceiling(self) -> int:
        """Return the most replicas that can hold anything: one copy of one partition each."""
        return self.partitions * self.copies

    def resync_seconds(self, replicas: int) -> float | None:
        """Return how long until copies are whole again after one of so many replicas is lost; None: not known.

        The lost replica held its even share of all copies, and the one that takes its place takes it in at its own
        throughput.
        """
        if not self.resync_bytes_per_s or replicas < 1:
            return None
        # The data of a lost replica is copied from the others at the stated speed, by one stream.
        return self.data_bytes * self.copies / min(replicas, self.ceiling) / self.resync_bytes_per_s


@dataclass(frozen=True, slots=True)
class Budget:
    """A disruption budget as stated: a count such as ``2`` or a share such as ``50%``; one of both is empty."""

    min_available: str = ""
    max_unavailable: str = ""

    def allowed(self, replicas: int, healthy: int | None = None) -> int:
        """Return how many more replicas may be taken down now; shares are of the replicas wished for, and round up, as the API's text asks.

        Parameters
        ----------
        replicas
            How many are wished for.
        healthy
            How many of them serve now; None: all.

        """
        healthy = replicas if healthy is None else healthy
        needed = _count(self.min_available, replicas) if self.min_available else 0
        if self.max_unavailable:
            # Stated as the most that may be unavailable, the needed count follows from the replicas wished for.
            needed = replicas - min(replicas, _count(self.max_unavailable, replicas))
        return max(0, healthy - needed)


def _count(text: str, replicas: int) -> int:
    return -(-replicas * int(text[:-1]) // 100) if text.endswith("%") else int(text)


@dataclass(frozen=True, slots=True)
class Provenance:
    """Where a row and its request come from.

    Parameters
    ----------
    origin, request_from
        The file or form of the row, and what in it the request comes from, in words.
    asked
        The request before it was right-sized; None: it was not.
    typed
        Amounts of the request as somebody typed them, by column: 2G stays 2G as long as it is what is asked for.

    """

    origin: str = ""
    request_from: str = ""
    asked: Amounts | None = None
    typed: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class Demand:
    """One workload of the demand sheet.

    Parameters
    ----------
    namespace, name
        Together unique in a study.
    kind
        A daemon workload runs once on every node that its labels allow; its replicas are not counted.
    replicas
        How many must run, where the sizing says nothing else.
    request
        Effective request of one replica.
    zone_skew
        Largest difference of its counts over the zones; None: free.
    most_per_node
        Most replicas on one node; None: as many as fit.
    node_labels
        Labels that a node must carry.
    owner
        Who answers for it.
    promised, survive_zone
        False leaves it out of the promise to survive a zone; how it survives one, None: as the study promises.
    labels
        Labels it carries.
    interruptible_percent
        Largest share of its replicas on interruptible nodes, in whole percent.
    journey, service
        The journey it belongs to; the service it is one instance of (empty: its own).
    together
        Group whose members share a node, replica by replica; empty: none.
    priority
        As the API's priority classes count: higher goes first.
    serving
        How many of its replicas must serve, a count such as ``4`` or a share such as ``60%``; empty: not stated.
    traffic
        What it sends in a month; empty: not stated.
    extra
        Replicas that a variant runs on top of those asked for, at every level.
    stands
        By zone the replicas that a variant's sizes ask for; empty: any zone.

    """

    namespace: str
    name: str
    kind: WorkloadKind
    replicas: int
    request: Amounts
    zone_skew: int | None = None
    most_per_node: int | None = None
    node_labels: Mapping[str, str] = field(default_factory=dict)
    owner: str = ""
    promised: bool = True
    labels: Mapping[str, str] = field(default_factory=dict)
    interruptible_percent: int = 0
    journey: str = ""
    service: str = ""
    together: str = ""
    priority: int = 0
    sizing: Sizing = field(default_factory=Sizing)
    pod: PodDetail = field(default_factory=PodDetail)
    partitioned: Partitioned | None = None
    budget: Budget | None = None
    provenance: Provenance = field(default_factory=Provenance)
    survive_zone: Survival | None = None
    serving: str = ""
    traffic: tuple[Traffic, ...] = ()
    extra: int = 0
    stands: Mapping[str, int] = field(default_factory=dict)

    def serving_of(self, replicas: int) -> int:
        """Return how many of so many replicas must serve as stated; shares round up."""
        return max(1, _count(self.serving, replicas))

    @property
    def full_name(self) -> str:
        """Return ``namespace/name``."""
        return f"{self.namespace}/{self.name}"

    @property
    def ceiling(self) -> int | None:
        """Return the most replicas that can be used; None: no such limit."""
        return self.partitioned.ceiling if self.partitioned else None


TOGETHER = " + "
"""Joins the names of workloads that are placed as one because they share a node."""


def joined_name(parts: Sequence[tuple[str, int]]) -> str:
    """Return the name of a group placed as one, from its members and how many replicas of each stand together."""
    return TOGETHER.join(name if count == 1 else f"{count}×{name}" for name, count in parts)


def parted_name(name: str) -> list[tuple[str, int]]:
    """Return the members that a placed name stands for, and how many replicas of each; a workload alone is its own."""
    parts = []
    for part in name.split(TOGETHER):
        # A count stands before the name only in groups; a name may hold the sign by itself.
        count, times, own = part.partition("×")
        parts.append((own, int(count)) if times and count.isdigit() else (part, 1))
    return parts


@dataclass(frozen=True, slots=True)
class Size:
    """What a variant sizes a workload to.

    Parameters
    ----------
    extra
        Replicas on top of those asked for.
    how
        How it survives the loss of a zone.
    most_per_node
        With more replicas on one node than the availability was computed for, they would fall together.
    stands
        By zone the replicas that the availability was computed for, where it hangs on which zone has one more; empty: any may.

    """

    extra: int
    how: Survival
    most_per_node: int | None = None
    stands: Mapping[str, int] = field(default_factory=dict)


def with_sizes(rows: Sequence[Demand], sizes: Mapping[str, Size]) -> list[Demand]:
    """Return the rows as sized: more replicas, evenly over the zones, surviving as the sizes say.

    Members of a group that shares nodes grow as the one that grows most, and survive as the strictest asks.
    """
    # Members of a group must stay together, so they follow one size.
    most = {
        name: grown_most(sizes[row.full_name] for row in members if row.full_name in sizes)
        for name, members in groups(rows).items()
    }
    return [_sized(row, most.get(row.together) if row.together else sizes.get(row.full_name)) for row in rows]


def grown_most(sizes: Iterable[Size]) -> Size | None:
    """Return the size that members of a group follow: most replicas, strictest way to survive, fewest on a node; None: of none."""
    known = list(sizes)
    if not known:
        return None
    return Size(
        max(size.extra for size in known),
        max((size.how for size in known), key=STRICTER.index),
        fewer(size.most_per_node for size in known),
    )


def fewer(limits: Iterable[int | None]) -> int | None:
    """Return the smallest of limits of which None is no limit."""
    return min((limit for limit in limits if limit is not None), default=None)


def evenly(zone_skew: int | None) -> int:
    """Return the difference over zones with which sized replicas are spread: that asked for, at most 1."""
    return 1 if zone_skew is None else min(zone_skew, 1)


def _sized(row: Demand, size: Size | None) -> Demand:
    if size is None:
        return row
    # A workload sized to survive keeps the promise from then on.
    promised = row.promised or size.how is not Survival.NONE
    return replace(
        row,
        extra=size.extra,
        promised=promised,
        survive_zone=size.how,
        zone_skew=evenly(row.zone_skew),
        most_per_node=fewer((row.most_per_node, size.most_per_node)),
        stands={} if row.together else size.stands,
    )


def by_member(placed: Mapping[str, int]) -> dict[str, int]:
    """Return replicas by workload, from replicas by what is placed as one."""
    found: Counter[str] = Counter()
    for unit, count in placed.items():
        found.update({name: times * count for name, times in parted_name(unit)})
    return dict(found)


def groups(rows: Sequence[Demand]) -> dict[str, list[Demand]]:
    """Return the members of each group that shares nodes, in the sheet's order."""
    found: dict[str, list[Demand]] = {}
    for row in rows:
        if row.together:
            found.setdefault(row.together, []).append(row)
    return found
