"""Why a target cannot be met, in the planner's terms, and the ways out."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

from rombel.availability.counts import Floats
from rombel.availability.options import Candidate, States
from rombel.model.failure import FailureData, budget_minutes, failure_of
from rombel.model.journey import Dependency, Journey, Reach, blocks_of


@dataclass(frozen=True, slots=True)
class Remedy:
    """A change that would help, and the least unavailability that can then be had; ``suffices`` says whether it is enough."""

    words: str
    least: float
    suffices: bool


@dataclass(frozen=True, slots=True)
class Unreachable:
    """Why one journey's target is out of reach: reasons, the gravest first, and ways out, those that suffice first."""

    journey: str
    least: float
    allowed: float
    reasons: tuple[str, ...]
    remedies: tuple[Remedy, ...]


def unreachable(
    candidates: Sequence[Candidate],
    journey: Journey,
    dependencies: Sequence[Dependency],
    zones: Sequence[str],
    data: FailureData,
) -> Unreachable:
    """Return why a journey's target cannot be met whatever its workloads are sized to."""
    bench = _Bench(candidates, journey, zones, data)
    least = bench.least(dependencies)
    # A change is worth telling where it is enough alone, or takes off a fiftieth at least.
    ways = [Remedy(words, found, found <= journey.allowed) for words, found in bench.ways(dependencies)]
    helpful = [way for way in ways if way.suffices or way.least < least * 0.98]
    # Lowering the target always works, and comes last.
    aim = f"A target of {_percent(least)} % or less can be met here."
    helpful.append(Remedy(aim, least, True))
    return Unreachable(
        journey.name,
        least,
        journey.allowed,
        tuple(bench.reasons(dependencies, least)),
        tuple(sorted(helpful, key=lambda way: not way.suffices)),
    )


class _Bench:
    """What the best sizes reach under changed circumstances."""

    def __init__(
        self, candidates: Sequence[Candidate], journey: Journey, zones: Sequence[str], data: FailureData
    ) -> None:
        self.journey, self.zones, self.data = journey, list(zones), data
        asked = set(blocks_of(journey.chain))
        self.candidates = [entry for entry in candidates if entry.name in asked]
        self._best: dict[tuple[str, ...], dict[str, Floats]] = {}

    def least(self, dependencies: Sequence[Dependency], zones: Sequence[str] | None = None) -> float:
        """Return the least unavailability that any sizes give."""
        states = States(zones or self.zones, self.data, dependencies, [entry.start_up_s for entry in self.candidates])
        if states.zones not in self._best:  # No dependency changes what workloads can be sized to.
            self._best[states.zones] = {
                entry.name: states.least_unavailable(states.options(entry)).unavailability for entry in self.candidates
            }
        return states.unavailability(self.journey, self._best[states.zones])

    def reasons(self, dependencies: Sequence[Dependency], least: float) -> Iterator[str]:
        """Yield sentences: what alone is down longer than the target allows, or what all of it is together."""
        allowed = f"the target allows {_minutes(self.journey.allowed)} a month"
        asked = [entry for entry in dependencies if entry.name in set(blocks_of(self.journey.chain))]
        said = False
        states = States(self.zones, self.data, dependencies, [])
        alone = {entry.name: float(states.weights @ states.dependency(entry.name)) for entry in asked}
        # The worst dependency first.
        for name, share in sorted(alone.items(), key=lambda pair: -pair[1]):
            if share > self.journey.allowed:
                said = True
                yield f"'{name}' alone is down {_minutes(share)} a month; {allowed}."
        if states.whole > self.journey.allowed:
            said = True
            yield f"The region as a whole is down {_minutes(states.whole)} a month; {allowed}. No size of anything in it helps."
        if len(self.zones) == 1:
            own = 1 - float(states.weights[states.untouched])
            yield f"The region has one zone, down {_minutes(own)} a month by itself, and nowhere to land in."
            said = True
        # What no size can lower: dependencies and the region. A hair under the target it already leaves nothing to work with.
        together = sum(alone.values()) + states.whole
        if not said and together > 0.98 * self.journey.allowed:
            said = True
            names = ", ".join(f"'{name}' {_minutes(share)}" for name, share in alone.items())
            rest = f"{names} and the region as a whole {_minutes(states.whole)}"
            yield f"What no workload can help is down too long together: {rest}, {_minutes(together)} a month; {allowed}."
        if not said:
            yield f"With every workload as good as can be it is down {_minutes(least)} a month; {allowed}."

    def ways(self, dependencies: Sequence[Dependency]) -> Iterator[tuple[str, float]]:
        """Yield changes in words, with the least unavailability that each leaves."""
        asked = set(blocks_of(self.journey.chain))
        for entry in dependencies:
            if entry.name not in asked:
                continue
            others = [other for other in dependencies if other.name != entry.name]
            if entry.reach is Reach.ZONAL:
                moved = [*others, replace(entry, reach=Reach.REGIONAL)]
                yield f"Let '{entry.name}' stand in more than one zone (regional).", self.least(moved)
            if (share := self._needed(entry, others)) is not None:
                better = replace(entry, failure=failure_of(share, entry.failure.repair_s))
                words = f"Bring '{entry.name}' to {_percent(share)} % or better, {_minutes(share)} a month."
                yield words, self.least([*others, better])
        # A sixth zone changes next to nothing, and few regions have one.
        if len(self.zones) < 5:
            more = [*self.zones, "one more"]
            yield f"Use a region with {len(more)} zones.", self.least(dependencies, more)

    def _needed(self, entry: Dependency, others: Sequence[Dependency]) -> float | None:
        """Return the largest unavailability of one dependency with which the target is met; None: there is none."""

        def least(share: float) -> float:
            return self.least([*others, replace(entry, failure=failure_of(share, entry.failure.repair_s))])

        # Even perfect it would not be enough.
        if least(0.0) > self.journey.allowed:
            return None
        low, high = 0.0, entry.failure.unavailability
        # Bisection over its share: twelve halvings are finer than the figures that are shown.
        for _ in range(12):
            middle = (low + high) / 2
            low, high = (middle, high) if least(middle) <= self.journey.allowed else (low, middle)
        return low


def _minutes(share: float) -> str:
    return f"{budget_minutes(share):.1f} min"


def _percent(unavailability: float) -> str:
    """Return an availability in percent that is not above the true one, with three digits behind the point."""
    # Rounded down: a target that can be met must not be told too high.
    return f"{int((1 - unavailability) * 100_000) / 1000:.3f}"
