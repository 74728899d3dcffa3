"""What a workload could be sized to, and how long it is then down in every joint state of the zones."""

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
    dependency_unavailability,
    node_share,
    own_failure,
    region_unavailability,
    unavailability_without_region,
    zone_states,
)
from rombel.availability.improvements import deal, heaps_of
from rombel.availability.journeys import structure
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
    """So many replicas on top, surviving so: what it costs an hour more, and how likely it is down, state by state."""

    extra: int
    how: Survival
    cost: float
    unavailability: Floats


class States:
    """The joint states of the zones for a set of candidates, and the availability of journeys over them.

    Replicas are dealt evenly over the zones and heaped on nodes of their own kind; which workloads share nodes is known
    only once a fit stands, and is then computed exactly.
    """

    def __init__(
        self, zones: Sequence[str], data: FailureData, dependencies: Sequence[Dependency], start_ups: Sequence[float]
    ) -> None:
        self.zones, self.data = tuple(zones), data
        # The states are cut at every window that any candidate may have, so that one set of states serves all options.
        windows = [data.window_s(how, start) for how in STRICTER for start in set(start_ups)]
        self.states: tuple[ZoneState, ...] = tuple(zone_states(zones, own_failure(data), windows))
        self.weights = np.array([state.weight for state in self.states])
        self.whole = region_unavailability(data)
        self.dependencies = {entry.name: entry for entry in dependencies}

    @cached_property
    def untouched(self) -> int:
        """Return the number of the state in which no zone is down."""
        return next(number for number, state in enumerate(self.states) if not state.lost)

    def dependency(self, name: str) -> Floats:
        """Return by state how likely a dependency is down."""
        entry = self.dependencies[name]
        return np.array([dependency_unavailability(entry, self.zones, state.lost) for state in self.states])

    def unavailability(self, journey: Journey, chosen: Mapping[str, Floats]) -> float:
        """Return the share of time in which a journey is down, its workloads as chosen."""
        rows = structure(journey.chain, lambda name: chosen[name] if name in chosen else self.dependency(name))
        return self.without_region(journey) + (1 - self.whole) * float(self.weights @ rows)

    def unavailability_after(
        self, journey: Journey, chosen: Mapping[str, Floats], changes: Sequence[tuple[str, Floats]]
    ) -> Floats:
        """Return for each of several changes of one workload the share of time in which a journey is then down."""

        def leaf(name: str) -> Floats:
            if name not in chosen:
                return self.dependency(name)
            # Many changes at once as rows of one array: a step of the sizing tries hundreds.
            changed = [number for number, (other, _) in enumerate(changes) if other == name]
            if not changed:
                return chosen[name]
            rows = np.repeat(chosen[name][None, :], len(changes), axis=0)
            rows[changed] = [changes[number][1] for number in changed]
            return rows

        unavailability = self.without_region(journey) + (1 - self.whole) * (
            structure(journey.chain, leaf) @ self.weights
        )
        return np.broadcast_to(unavailability, (len(changes),))

    def without_region(self, journey: Journey) -> float:
        """Return the part of a journey's downtime in which the whole region is."""
        return self.whole * float(
            structure(
                journey.chain, lambda name: np.asarray(unavailability_without_region(self.dependencies.get(name)))
            )
        )

    def least_unavailable(self, options: Sequence[Option]) -> Option:
        """Return the option that is down least, the cheaper of equal ones."""
        return min(options, key=lambda option: (float(self.weights @ option.unavailability), option.cost))

    def options(self, candidate: Candidate) -> list[Option]:
        """Return what a candidate could become, cheapest first, without what costs more and is nowhere better."""
        found: list[Option] = []
        for option in sorted(self._all(candidate), key=lambda option: (option.cost, option.extra)):
            # An option that is nowhere better than a cheaper one is never chosen.
            if not any(np.all(other.unavailability <= option.unavailability * (1 + 1e-9)) for other in found):
                found.append(option)
        return found

    def _all(self, candidate: Candidate) -> Iterator[Option]:
        zones = len(self.zones)
        # So many on top that standing could survive a zone, and a few more; beyond that replicas hardly fail together.
        whole = candidate.needed * zones // max(1, zones - 1) + 3
        most = max(4, whole - candidate.replicas + 2)
        for how in STRICTER[STRICTER.index(candidate.at_least) :]:
            # With one zone there is nothing to survive it with.
            if how is not Survival.NONE and zones == 1:
                continue
            for extra in range(most + 1):
                stand = candidate.stand(extra, how, len(self.zones))
                yield Option(extra, how, self.cost(candidate, extra, how), self._away(candidate, stand, how))

    def cost(self, candidate: Candidate, extra: int, how: Survival) -> float:
        """Return what an option costs an hour: replicas on top, and room for the share of a zone kept in the others."""
        zones = len(self.zones)
        stand = candidate.stand(extra, how, zones)
        # Room for what the fullest zone carries, divided over those that are left.
        kept = stand / (zones - 1) if how is Survival.LANDING and not candidate.bound and zones > 1 else 0.0
        return candidate.price * (stand - candidate.replicas + kept)

    def _away(self, candidate: Candidate, stand: int, how: Survival) -> Floats:
        # A volume bound to its zone waits for the zone.
        window = math.inf if candidate.bound else self.data.window_s(how, candidate.start_up_s)
        shares = dict(zip(self.zones, deal(stand, len(self.zones)), strict=True))
        own = self.data.failures[FailureKind.REPLICA].unavailability
        rows = []
        for state in self.states:
            left = [count for zone, count in shares.items() if zone not in state.lost]
            # Once landed, the lost ones are dealt over the zones that are left.
            if len(state.lost) == 1 and state.after_s >= window:
                lost = stand - sum(left)
                left = [count + more for count, more in zip(left, deal(lost, len(left)), strict=True)] if left else []
            # While a zone is down a lost node's replicas have nowhere to go.
            share = node_share(self.data, FailureKind.NODE, math.inf if state.lost else window)
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
