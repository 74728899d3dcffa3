"""What would help a journey: one replica more, one zone more, a zonal dependency made regional."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from rombel.availability.journeys import Evaluation, evaluate
from rombel.model.failure import FailureData
from rombel.model.journey import Dependency, Journey, Reach, blocks_of
from rombel.model.placement import PlacedNode, Placement


@dataclass(frozen=True, slots=True)
class Improvement:
    """One thing that could be done: of which kind, to what, and by how much less the journey would be down.

    ``kind`` is ``replica``, ``zone``, ``regional`` or ``spread``.
    """

    kind: str
    name: str
    removes: float


def improvements(evaluation: Evaluation, journey: Journey) -> list[Improvement]:
    """Return what each step would take off the journey's unavailability, the most first; each is computed anew."""
    # Blocks that are no workload are dependencies, which run nowhere here.
    names = [name for name in blocks_of(journey.chain) if name in evaluation.placement.workloads]
    placement, data = evaluation.placement.of(names), evaluation.data
    dependencies = list(evaluation.dependencies.values())
    now = evaluate(placement, data, dependencies).unavailability_of(journey)[0]
    found = [
        Improvement(kind, name, now - unavailability)
        for kind, name, unavailability in _steps(placement, data, dependencies, journey, names)
    ]
    # A plan over one zone more does not exist: both sides are dealt evenly, so that only the number of zones differs.
    even = [
        evaluate(dealt(placement, zones), data, dependencies).unavailability_of(journey)[0]
        for zones in (placement.zones, (*placement.zones, ANOTHER))
    ]
    found.append(Improvement("zone", ANOTHER, even[0] - even[1]))
    return sorted(found, key=lambda way: (-way.removes, way.kind, way.name))


ANOTHER = "one zone more"
"""Stands for a zone that the region may not have."""


def _steps(
    placement: Placement, data: FailureData, dependencies: Sequence[Dependency], journey: Journey, names: Sequence[str]
) -> Iterator[tuple[str, str, float]]:
    """Yield each step with the journey's unavailability after it."""
    for name in names:
        yield "replica", name, evaluate(one_more(placement, name), data, dependencies).unavailability_of(journey)[0]
    asked = set(blocks_of(journey.chain))
    for entry in dependencies:
        if entry.reach is Reach.ZONAL and entry.name in asked:
            for reach in (Reach.REGIONAL, Reach.SPREAD):
                others = [replace(e, reach=reach) if e.name == entry.name else e for e in dependencies]
                yield str(reach), entry.name, evaluate(placement, data, others).unavailability_of(journey)[0]


def one_more(placement: Placement, name: str) -> Placement:
    """Return the placement with one replica more, on a node of its own in the zone that has the fewest."""
    counts = {zone: sum(rows) for zone, rows in placement.by_zone(name).items()}
    # A node of its own: how much it helps must not hang on which node has room by chance.
    zone = min(placement.zones, key=lambda entry: (counts[entry], placement.zones.index(entry)))
    return replace(placement, nodes=(*placement.nodes, PlacedNode(zone, {name: 1})))


def dealt(placement: Placement, zones: Sequence[str]) -> Placement:
    """Return the same replicas dealt evenly over zones, as many on a node as now at most; what lands is dealt likewise.

    It makes numbers of zones comparable where no fit exists.
    """
    loads = {
        name: max((max(rows, default=1) for rows in placement.by_zone(name).values()), default=1)
        for name in placement.workloads
    }
    shares = {name: deal(placement.replicas(name), len(zones)) for name in placement.workloads}
    nodes = [
        PlacedNode(zone, {name: count})
        for index, zone in enumerate(zones)
        for name, share in shares.items()
        for count in heaps_of(share[index], loads[name])
    ]
    # Arrivals are told by node; which one of a zone takes them changes nothing once a zone is lost: its first one here.
    at = {node.zone: number for number, node in reversed(list(enumerate(nodes)))}
    arrivals: dict[str, Mapping[int, Mapping[str, int]]] = {}
    for index, zone in enumerate(zones):
        others = [entry for entry in zones if entry != zone and entry in at]
        landed: dict[int, dict[str, int]] = {at[entry]: {} for entry in others}
        for name, share in shares.items():
            for entry, count in zip(others, deal(share[index], len(others)) if others else (), strict=True):
                landed[at[entry]][name] = count
        arrivals[zone] = landed
    return Placement(tuple(zones), tuple(nodes), placement.workloads, arrivals)


def deal(count: int, places: int) -> list[int]:
    """Return a count dealt over places as evenly as can be, the first ones get one more."""
    each, more = divmod(count, places)
    return [each + (index < more) for index in range(places)]


def heaps_of(count: int, most: int) -> list[int]:
    """Return a count in heaps of at most ``most``."""
    return deal(count, -(-count // most)) if count else []
