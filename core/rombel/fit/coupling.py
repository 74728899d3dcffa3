"""The rows that tie everything together, shared by the divisible relaxation and the pattern program.

A *state* is what is left standing: the one state of a study without landing, or one state for each zone
that may be lost. In every state the nodes still there must cover what must run then:

* one state: for each class and zone, the nodes of the zone cover ``y(class, zone)`` replicas;
* landing, zone z lost: the nodes outside z cover all replicas of every class that lands, and of every other
  class those that stood outside z.

``y`` is bound by the totals, by the spread rule, and under *standing* by what must be left without each zone.
That no replica moves in a landing is left out here, which keeps the relaxation valid.
"""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from rombel.fit._highs import INFINITY, Columns, Floats
from rombel.fit.instance import Instance
from rombel.model.fit_problem import Survival


@dataclass(slots=True)
class Coupling:
    """Rows and columns of the coupling. S states, I classes, J offers, Z zones.

    Parameters
    ----------
    instance
        What is being solved.
    lower, upper
        Bounds of the rows made so far.
    columns
        Columns ``n(offer)`` first, then ``y`` and the least counts of the spread rule.
    cover
        (S, J, I) row that a replica of class i on offer j covers in state s; -1: none.
    nodes
        (S, J) row that holds ``nodes used in state s <= n(offer)``; -1: the offer is gone in that state.

    """

    instance: Instance
    lower: list[float] = field(default_factory=list)
    upper: list[float] = field(default_factory=list)
    columns: Columns = field(default_factory=Columns)
    cover: np.ndarray = field(default_factory=lambda: np.zeros((0, 0, 0), np.int64))
    nodes: np.ndarray = field(default_factory=lambda: np.zeros((0, 0), np.int64))

    def row(self, lower: float, upper: float = INFINITY) -> int:
        """Add a row and return its index."""
        self.lower.append(lower)
        self.upper.append(upper)
        return len(self.lower) - 1

    @property
    def states(self) -> int:
        """Return the number of states."""
        return len(self.nodes)


def build_coupling(instance: Instance) -> Coupling:
    """Return the rows and columns that every relaxation of the instance shares."""
    coupling = Coupling(instance)
    landing = bool(instance.lands.any())
    zones = len(instance.problem.zones)
    states = zones if landing else 1
    offers, classes = instance.per_node.shape
    coupling.nodes = np.full((states, offers), -1, np.int64)
    coupling.cover = np.full((states, offers, classes), -1, np.int64)
    for state in range(states):
        for offer in range(offers):
            if not landing or instance.zone[offer] != state:
                coupling.nodes[state, offer] = coupling.row(0.0)
    for offer in range(offers):
        entries = [(int(row), 1.0) for row in coupling.nodes[:, offer] if row >= 0]
        quota = float(instance.quota[offer])
        coupling.columns.add(float(instance.price[offer]), entries, INFINITY if quota >= 10**9 else quota)
    for i in range(classes):
        _class_rows(coupling, i, landing)
    return coupling


def _class_rows(coupling: Coupling, i: int, landing: bool) -> None:
    """Add the rows and the ``y`` columns of one class."""
    instance = coupling.instance
    zones = instance.usable_zones(i)
    entries: dict[int, list[tuple[int, float]]] = {zone: [] for zone in zones}
    _total_rows(coupling, i, entries)
    _skew_rows(coupling, i, entries)
    if landing:
        _state_rows(coupling, i, entries)
    else:
        for zone in zones:
            row = coupling.row(0.0)
            entries[zone].append((row, -1.0))
            coupling.cover[0, instance.zone == zone, i] = row
    for zone in zones:
        coupling.columns.add(0.0, entries[zone])


def _total_rows(coupling: Coupling, i: int, entries: dict[int, list[tuple[int, float]]]) -> None:
    """Ask for the replicas of the class; under *standing* also for the fewest that whole numbers allow."""
    instance = coupling.instance
    replicas = float(instance.workloads[i].replicas)
    if instance.promise(i) is not Survival.STANDING:
        row = coupling.row(replicas, replicas)
        for zone in entries:
            entries[zone].append((row, 1.0))
        return
    total = coupling.row(float(instance.total[i]))
    for zone in entries:
        entries[zone].append((total, 1.0))
    for lost in entries:
        row = coupling.row(replicas)
        for zone in entries:
            if zone != lost:
                entries[zone].append((row, 1.0))


def _skew_rows(coupling: Coupling, i: int, entries: dict[int, list[tuple[int, float]]]) -> None:
    """Bound the counts of the class to a window of the skew's width above their least count."""
    workload = coupling.instance.workloads[i]
    skew = 0 if workload.equal_zones else workload.zone_skew
    if skew is None or len(entries) < 2:
        return
    least = []
    for zone in entries:
        row = coupling.row(0.0, float(skew))
        entries[zone].append((row, 1.0))
        least.append((row, -1.0))
    coupling.columns.add(0.0, least)


def _state_rows(coupling: Coupling, i: int, entries: dict[int, list[tuple[int, float]]]) -> None:
    instance = coupling.instance
    lands = instance.promise(i) is Survival.LANDING
    for state in range(coupling.states):
        row = coupling.row(float(instance.workloads[i].replicas) if lands else 0.0)
        if not lands:
            for zone in entries:
                if zone != state:
                    entries[zone].append((row, -1.0))
        coupling.cover[state, instance.zone != state, i] = row


def scaled_resources(instance: Instance) -> tuple[Floats, Floats]:
    """Return capacity (J, R) and request (I, R) divided by the largest capacity of each resource."""
    largest = np.maximum(instance.capacity.max(axis=0, initial=0), 1).astype(float)
    return instance.capacity / largest, instance.request / largest
