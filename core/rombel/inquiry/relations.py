"""What hangs together with a workload: who calls it in which journey, what it needs, where it stands and with whom, and what its loss takes along."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass

from rombel.model.demand import Demand, parted_name
from rombel.model.fit_solution import FitSolution
from rombel.model.journey import Block, Journey, Part


@dataclass(frozen=True, slots=True)
class InJourney:
    """A workload's place in a journey: what stands before and behind it, and whether the journey is down without it."""

    journey: str
    target: str
    before: tuple[str, ...]
    behind: tuple[str, ...]
    is_down_without: bool


@dataclass(frozen=True, slots=True)
class StandsOn:
    """A node with replicas of a workload, counted from 1 in the order of the plan, and what else stands on it by workload."""

    node: int
    instance_type: str
    purchase: str
    zone: str
    replicas: int
    beside: Mapping[str, int]


@dataclass(frozen=True, slots=True)
class Relations:
    """All of it.

    Parameters
    ----------
    journeys
        Where it has a part.
    sends, gets
        Bytes a month to other workloads and from them, by name.
    together, apart
        Workloads that stand with it, and those that it keeps off its nodes.
    nodes
        Where it stands.
    shares
        Nodes that it shares with each other workload, those shared most first.
    goes_along
        What its loss takes along, in words.

    """

    journeys: tuple[InJourney, ...]
    sends: Mapping[str, int]
    gets: Mapping[str, int]
    together: tuple[str, ...]
    apart: tuple[str, ...]
    nodes: tuple[StandsOn, ...]
    shares: Mapping[str, int]
    goes_along: tuple[str, ...]


def relations(
    row: Demand, rows: Sequence[Demand], journeys: Sequence[Journey], solution: FitSolution | None
) -> Relations:
    """Return what hangs together with a workload.

    Parameters
    ----------
    row, rows
        The workload, and all of the study.
    journeys
        What users do.
    solution
        The plan; None: there is none, and so it stands nowhere.

    """
    found = tuple(_journeys(row.full_name, journeys))
    names = {other.full_name for other in rows}
    sends = {sent.to: sent.size_bytes for sent in row.traffic if sent.to in names}
    gets = {other.full_name: sent.size_bytes for other in rows for sent in other.traffic if sent.to == row.full_name}
    together = tuple(
        other.full_name for other in rows if row.together and other.together == row.together and other is not row
    )
    nodes = tuple(_nodes(row.full_name, solution)) if solution is not None else ()
    shares: Counter[str] = Counter()
    for node in nodes:
        shares.update(node.beside.keys())
    ordered = dict(sorted(shares.items(), key=lambda own: (-own[1], own[0])))
    along = tuple(_goes_along(found, gets, together))
    return Relations(found, sends, gets, together, tuple(row.pod.apart), nodes, ordered, along)


def _journeys(name: str, journeys: Sequence[Journey]) -> Iterator[InJourney]:
    for journey in journeys:
        before, behind = list[str](), list[str]()
        if _beside(journey.chain, name, before, behind):
            down = not _stands(journey.chain, name)
            yield InJourney(journey.name, f"{journey.target:f}", tuple(before), tuple(behind), down)


def _beside(part: Part, name: str, before: list[str], behind: list[str]) -> bool:
    """Gather the blocks around a name, those of the same choice left out; return whether it is there."""
    if isinstance(part, Block):
        return part.name == name
    places = [_beside(inner, name, before, behind) for inner in part.parts]
    if not any(places):
        return False
    if part.is_series:
        # All of them in a row: what comes first calls what comes after.
        place = places.index(True)
        for inner in reversed(part.parts[:place]):
            before[:0] = _names(inner)
        for inner in part.parts[place + 1 :]:
            behind += _names(inner)
    return True


def _names(part: Part) -> list[str]:
    return [part.name] if isinstance(part, Block) else [name for inner in part.parts for name in _names(inner)]


def _stands(part: Part, without: str) -> bool:
    """Return whether a structure holds with everything up but one block."""
    if isinstance(part, Block):
        return part.name != without
    return sum(_stands(inner, without) for inner in part.parts) >= part.needed


def _nodes(name: str, solution: FitSolution) -> Iterator[StandsOn]:
    number = 0
    for batch in solution.nodes:
        here: Counter[str] = Counter()
        for placed, count in batch.replicas.items():
            for own, each in parted_name(placed):
                here[own] += count * each
        for _ in range(batch.count):
            number += 1
            if here[name]:
                beside = {other: count for other, count in sorted(here.items()) if other != name}
                yield StandsOn(number, batch.instance_type, str(batch.purchase), batch.zone, here[name], beside)


def _goes_along(journeys: Sequence[InJourney], gets: Mapping[str, int], together: Sequence[str]) -> Iterator[str]:
    for own in journeys:
        words = "is down" if own.is_down_without else "goes on by its other way"
        yield f"{own.journey} {words}"
    for name in sorted(gets):
        yield f"{name} has nobody to send to"
    for name in together:
        yield f"{name} is placed with it alone"
