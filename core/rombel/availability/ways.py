"""What would help a journey: one replica more, one zone more, a zonal dependency made regional."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace

from rombel.availability.journeys import Evaluation, evaluate
from rombel.model.failure import FailureData
from rombel.model.journey import Dependency, Journey, Reach, links_of
from rombel.model.placement import Placement, StandingNode


@dataclass(frozen=True, slots=True)
class Way:
    """One thing that could be done: of which kind, to what, and by how much less the journey would be away.

    ``kind`` is ``replica``, ``zone``, ``regional`` or ``spread``.
    """

    kind: str
    name: str
    removes: float


def ways(evaluation: Evaluation, journey: Journey) -> list[Way]:
    """Return what each step would take off the journey's share of time away, the most first; each is computed anew."""
    names = [name for name in links_of(journey.chain) if name in evaluation.placement.workloads]
    placement, data = evaluation.placement.of(names), evaluation.data
    dependencies = list(evaluation.dependencies.values())
    now = evaluate(placement, data, dependencies).away_of(journey)[0]
    found = [Way(kind, name, now - away) for kind, name, away in _steps(placement, data, dependencies, journey, names)]
    even = [
        evaluate(dealt(placement, zones), data, dependencies).away_of(journey)[0]
        for zones in (placement.zones, (*placement.zones, ANOTHER))
    ]
    found.append(Way("zone", ANOTHER, even[0] - even[1]))
    return sorted(found, key=lambda way: (-way.removes, way.kind, way.name))


ANOTHER = "one zone more"
"""Stands for a zone that the region may not have."""


def _steps(
    placement: Placement, data: FailureData, dependencies: Sequence[Dependency], journey: Journey, names: Sequence[str]
) -> Iterator[tuple[str, str, float]]:
    """Yield each step with the journey's share of time away after it."""
    for name in names:
        yield "replica", name, evaluate(one_more(placement, name), data, dependencies).away_of(journey)[0]
    asked = set(links_of(journey.chain))
    for entry in dependencies:
        if entry.reach is Reach.ZONAL and entry.name in asked:
            for reach in (Reach.REGIONAL, Reach.SPREAD):
                others = [replace(e, reach=reach) if e.name == entry.name else e for e in dependencies]
                yield str(reach), entry.name, evaluate(placement, data, others).away_of(journey)[0]


def one_more(placement: Placement, name: str) -> Placement:
    """Return the placement with one replica more, on a node of its own in the zone that has the fewest."""
    counts = {zone: sum(rows) for zone, rows in placement.by_zone(name).items()}
    zone = min(placement.zones, key=lambda entry: (counts[entry], placement.zones.index(entry)))
    return replace(placement, nodes=(*placement.nodes, StandingNode(zone, {name: 1})))


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
        StandingNode(zone, {name: count})
        for place, zone in enumerate(zones)
        for name, share in shares.items()
        for count in heaps_of(share[place], loads[name])
    ]
    at = {node.zone: number for number, node in reversed(list(enumerate(nodes)))}
    arrivals: dict[str, Mapping[int, Mapping[str, int]]] = {}
    for place, zone in enumerate(zones):
        others = [entry for entry in zones if entry != zone and entry in at]
        landed: dict[int, dict[str, int]] = {at[entry]: {} for entry in others}
        for name, share in shares.items():
            for entry, count in zip(others, deal(share[place], len(others)) if others else (), strict=True):
                landed[at[entry]][name] = count
        arrivals[zone] = landed
    return Placement(tuple(zones), tuple(nodes), placement.workloads, arrivals)


def deal(count: int, places: int) -> list[int]:
    """Return a count dealt over places as evenly as can be, the first ones get one more."""
    each, more = divmod(count, places)
    return [each + (place < more) for place in range(places)]


def heaps_of(count: int, most: int) -> list[int]:
    """Return a count in heaps of at most ``most``."""
    return deal(count, -(-count // most)) if count else []
