"""What a workload could be sized to, and how long it is then away in every joint state of the zones."""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from rombel.availability.counts import Floats, fewer_left
from rombel.availability.domains import (
    ZoneState,
    away_in_ruin,
    dependency_away,
    node_share,
    own_failure,
    whole_away,
    zone_states,
)
from rombel.availability.journeys import structure
from rombel.availability.ways import deal, heaps_of
from rombel.model.failure import FailureData, FailureKind
from rombel.model.fit_problem import STRICTER, Survival
from rombel.model.journey import Dependency, Journey


@dataclass(frozen=True, slots=True)
class Candidate:
    """A workload that may get more replicas and a stricter way to survive.

    Parameters
    ----------
    name
        ``namespace/name``.
    replicas, needed
        Asked for, and how many must serve.
    price
        Of one replica an hour, as the present fit bears it.
    at_least
        How it must survive the loss of a zone at the least.
    bound
        Whether its replicas cannot leave their zone.
    per_node
        Most of its replicas on one node.
    start_up_s
        Until a new replica serves.
    must_stand
        How many must be left where it survives a loss standing; None: all of them.

    """

    name: str
    replicas: int
    needed: int
    price: float
    at_least: Survival = Survival.NONE
    bound: bool = False
    per_node: int = 1
    start_up_s: float = 30
    must_stand: int | None = None

    def stand(self, extra: int, how: Survival, zones: int) -> int:
        """Return how many replicas stand in all with so many on top of those asked for."""
        asked = self.replicas + extra
        if how is not Survival.STANDING:
            return asked
        return max(asked, standing_total(asked if self.must_stand is None else self.must_stand, zones))


@dataclass(frozen=True, slots=True)
class Option:
    """So many replicas on top, surviving so: what it costs an hour more, and how likely it is away, state by state."""

    extra: int
    how: Survival
    cost: float
    away: Floats


class States:
    """The joint states of the zones for a set of candidates, and the availability of journeys over them.

    Replicas are dealt evenly over the zones and heaped on nodes of their own kind; which workloads share nodes is known
    only once a fit stands, and is then computed exactly.
    """

    def __init__(
        self, zones: Sequence[str], data: FailureData, dependencies: Sequence[Dependency], start_ups: Sequence[float]
    ) -> None:
        self.zones, self.data = tuple(zones), data
        windows = [data.window_s(how, start) for how in STRICTER for start in set(start_ups)]
        self.states: tuple[ZoneState, ...] = tuple(zone_states(zones, own_failure(data), windows))
        self.weights = np.array([state.weight for state in self.states])
        self.whole = whole_away(data)
        self.dependencies = {entry.name: entry for entry in dependencies}

    @cached_property
    def untouched(self) -> int:
        """Return the number of the state in which no zone is away."""
        return next(number for number, state in enumerate(self.states) if not state.away)

    def dependency(self, name: str) -> Floats:
        """Return by state how likely a dependency is away."""
        entry = self.dependencies[name]
        return np.array([dependency_away(entry, self.zones, state.away) for state in self.states])

    def away(self, journey: Journey, chosen: Mapping[str, Floats]) -> float:
        """Return the share of time in which a journey is away, its workloads as chosen."""
        rows = structure(journey.chain, lambda name: chosen[name] if name in chosen else self.dependency(name))
        return self.ruin(journey) + (1 - self.whole) * float(self.weights @ rows)

    def away_after(
        self, journey: Journey, chosen: Mapping[str, Floats], changes: Sequence[tuple[str, Floats]]
    ) -> Floats:
        """Return for each of several changes of one workload the share of time in which a journey is then away."""

        def leaf(name: str) -> Floats:
            if name not in chosen:
                return self.dependency(name)
            changed = [number for number, (other, _) in enumerate(changes) if other == name]
            if not changed:
                return chosen[name]
            rows = np.repeat(chosen[name][None, :], len(changes), axis=0)
            rows[changed] = [changes[number][1] for number in changed]
            return rows

        away = self.ruin(journey) + (1 - self.whole) * (structure(journey.chain, leaf) @ self.weights)
        return np.broadcast_to(away, (len(changes),))

    def ruin(self, journey: Journey) -> float:
        """Return the part of a journey's time away in which the whole region is."""
        return self.whole * float(
            structure(journey.chain, lambda name: np.asarray(away_in_ruin(self.dependencies.get(name))))
        )

    def least_away(self, options: Sequence[Option]) -> Option:
        """Return the option that is away least, the cheaper of equal ones."""
        return min(options, key=lambda option: (float(self.weights @ option.away), option.cost))

    def options(self, candidate: Candidate) -> list[Option]:
        """Return what a candidate could become, cheapest first, without what costs more and is nowhere better."""
        found: list[Option] = []
        for option in sorted(self._all(candidate), key=lambda option: (option.cost, option.extra)):
            if not any(np.all(other.away <= option.away * (1 + 1e-9)) for other in found):
                found.append(option)
        return found

    def _all(self, candidate: Candidate) -> Iterator[Option]:
        zones = len(self.zones)
        whole = candidate.needed * zones // max(1, zones - 1) + 3
        most = max(4, whole - candidate.replicas + 2)
        for how in STRICTER[STRICTER.index(candidate.at_least) :]:
            if how is not Survival.NONE and zones == 1:
                continue
            for extra in range(most + 1):
                stand = candidate.stand(extra, how, len(self.zones))
                yield Option(extra, how, self.cost(candidate, extra, how), self._away(candidate, stand, how))

    def cost(self, candidate: Candidate, extra: int, how: Survival) -> float:
        """Return what an option costs an hour: replicas on top, and room for the share of a zone kept in the others."""
        zones = len(self.zones)
        stand = candidate.stand(extra, how, zones)
        kept = stand / (zones - 1) if how is Survival.LANDING and not candidate.bound and zones > 1 else 0.0
        return candidate.price * (stand - candidate.replicas + kept)

    def _away(self, candidate: Candidate, stand: int, how: Survival) -> Floats:
        window = math.inf if candidate.bound else self.data.window_s(how, candidate.start_up_s)
        shares = dict(zip(self.zones, deal(stand, len(self.zones)), strict=True))
        own = self.data.things[FailureKind.REPLICA].unavailability
        rows = []
        for state in self.states:
            left = [count for zone, count in shares.items() if zone not in state.away]
            if len(state.away) == 1 and state.after_s >= window:
                lost = stand - sum(left)
                left = [count + more for count, more in zip(left, deal(lost, len(left)), strict=True)] if left else []
            share = node_share(self.data, FailureKind.NODE, math.inf if state.away else window)
            heaps = Counter(heap for count in left for heap in heaps_of(count, candidate.per_node))
            groups = tuple((heap, number, share) for heap, number in sorted(heaps.items()))
            rows.append(1.0 if sum(left) < candidate.needed else fewer_left(groups, candidate.needed, own))
        return np.array(rows)


def standing_total(needed: int, zones: int) -> int:
    """Return the fewest replicas of which ``needed`` are left after the loss of any one of so many zones."""
    if zones < 2:
        return needed
    total = needed
    while total - -(-total // zones) < needed:
        total += 1
    return total
