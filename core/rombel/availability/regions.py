"""Several regions: all of them serve, or one stands by; what a journey is then down."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from enum import StrEnum
from itertools import product

from rombel.availability.journeys import Evaluation, evaluate
from rombel.model.failure import SECONDS_PER_YEAR, FailureData, FailureKind
from rombel.model.journey import Dependency, Journey, Reach, blocks_of


class Together(StrEnum):
    """How regions work together."""

    ONE = "one region"
    STANDBY = "one stands by"
    ALL = "all serve"


@dataclass(frozen=True, slots=True)
class RegionTimes:
    """What lies between regions.

    Parameters
    ----------
    entry_away
        Share of time in which the entry point before all regions is down; it is in series with everything.
    redirect_s
        Until the entry point no longer sends anyone to a region in which the journey is down (all serve).
    switch_s
        Until the region that stands by has taken over (one stands by).
    lag_s
        How far its copy of the data lies behind.
    first_share
        Share of the requests that the first region serves where all do, the others alike; None: all alike.

    """

    entry_away: float = 1e-4
    redirect_s: float = 60
    switch_s: float = 900
    lag_s: float = 30
    first_share: float | None = None

    def shares(self, count: int) -> list[float]:
        """Return the share of the requests that each of so many regions serves."""
        if self.first_share is None or count < 2:
            return [1 / count] * count
        return [self.first_share, *[(1 - self.first_share) / (count - 1)] * (count - 1)]

    def bears(self, count: int) -> list[float]:
        """Return what part of everything each must be able to bear so that any one of so many may vanish."""
        shares = self.shares(count)
        if count < 2:
            return [1.0]
        return [
            # Each must bear its own share and its part of what any one other leaves.
            max(own / (1 - lost) for other, lost in enumerate(shares) if other != index)
            for index, own in enumerate(shares)
        ]


@dataclass(frozen=True, slots=True)
class Across:
    """A journey over several regions: its unavailability, switches a year and seconds of data lost a year."""

    unavailability: float
    switches_per_year: float = 0.0
    lost_data_s_per_year: float = 0.0


STEP = 1e-3
"""By how much rates are raised to see what each kind of failure brings."""


def across(
    regions: Sequence[Evaluation],
    journey: Journey,
    together: Together,
    times: RegionTimes,
) -> Across:
    """Return what a journey is down over regions that fail by themselves but for their common cause.

    Parameters
    ----------
    regions
        One for each, the first leads where one stands by; all with the same dependencies and failure data.
    journey, together, times
        What, and how.

    Notes
    -----
    Dependencies outside are the same for all regions: their states are gone through one by one. Where all serve, each
    is sized so that one may vanish, so with two of them away the journey is.

    """
    data, outside = regions[0].data, _outside(regions[0], journey)
    if together is Together.ONE:
        return Across(regions[0].unavailability_of(journey)[0])
    # What takes all regions at once no second region can help against.
    common = data.failures[FailureKind.REGION].thinned(data.region_beta).unavailability
    parts = [_Region(region, journey, data) for region in regions]
    unavailability, switches = 0.0, 0.0
    # Regions share what stands outside of them all, so its states come first.
    for state in product((False, True), repeat=len(outside)):
        down = {entry.name: gone for entry, gone in zip(outside, state, strict=True)}
        weight = 1.0
        for entry, gone in zip(outside, state, strict=True):
            share = entry.failure.unavailability
            weight *= share if gone else 1 - share
        if together is Together.ALL:
            unavailability += weight * _all_serve(parts, times.shares(len(parts)), times, down)
        else:
            found, often = _one_by(parts, times, down)
            unavailability, switches = unavailability + weight * found, switches + weight * often
    without_region = regions[0].without_region(journey)
    # While everything is down, only what stands outside can still serve.
    unavailability = (1 - common) * unavailability + common * without_region
    if together is Together.ALL:
        # The entry is in series with all of it.
        return Across(1 - (1 - unavailability) * (1 - times.entry_away))
    return Across(unavailability, switches, switches * times.lag_s)


def _outside(region: Evaluation, journey: Journey) -> list[Dependency]:
    asked = set(blocks_of(journey.chain))
    return [e for e in region.dependencies.values() if e.reach is Reach.OUTSIDE and e.name in asked]


class _Region:
    """A journey in one region given what outside is down: its unavailability, and by kind of failure what each brings."""

    def __init__(self, region: Evaluation, journey: Journey, data: FailureData) -> None:
        self._journey, self._plain = journey, region
        self._raised = [(seconds, _raised(region, change)) for seconds, change in _kinds(region, journey, data)]

    def unavailability(self, down: Mapping[str, bool]) -> float:
        return self._plain.unavailability_given(self._journey, down)

    def first_seconds(self, seconds: float, down: Mapping[str, bool]) -> tuple[float, float]:
        """Return the share of time in the first seconds of an outage, and how many last longer a year; to first order."""
        unavailability = self.unavailability(down)
        # It is down for good: no outage ever ends, and there is nothing to switch to.
        if unavailability >= 1 - 1e-12:
            return 1.0, 0.0
        early, often = 0.0, 0.0
        for lasts, raised in self._raised:
            # A derivative by a small rise of each rate: what this kind of failure brings.
            brings = max(0.0, raised.unavailability_given(self._journey, down) - unavailability) / STEP
            # Of an outage that lasts ``lasts`` seconds only the first ``seconds`` count.
            early += brings * min(1.0, seconds / lasts)
            often += brings * SECONDS_PER_YEAR / lasts if lasts > seconds else 0.0
        return min(unavailability, early), often


Change = Callable[[FailureData, Sequence[Dependency]], tuple[FailureData, list[Dependency]]]


def _kinds(region: Evaluation, journey: Journey, data: FailureData) -> Iterator[tuple[float, Change]]:
    """Yield for each kind of failure how long it takes a journey down at a time, and how its rate is raised."""
    workloads = [region.placement.workloads[n] for n in blocks_of(journey.chain) if n in region.placement.workloads]
    # Longer than any repair: the failure itself says how long it lasts.
    node = min((w.node_window_s for w in workloads), default=1e9)
    zone = min((w.zone_window_s for w in workloads), default=1e9)
    lasting = {
        FailureKind.REPLICA: 1e9,
        FailureKind.NODE: node,
        FailureKind.INTERRUPTED: node,
        FailureKind.ZONE: zone,
        FailureKind.REGION: 1e9,
    }
    for thing, window in lasting.items():

        def raise_thing(
            data: FailureData, rest: Sequence[Dependency], thing: FailureKind = thing
        ) -> tuple[FailureData, list[Dependency]]:
            failure = data.failures[thing]
            more = replace(failure, per_year=failure.per_year * (1 + STEP))
            return replace(data, failures={**data.failures, thing: more}), list(rest)

        yield min(window, data.failures[thing].repair_s), raise_thing
    for name in blocks_of(journey.chain):
        entry = region.dependencies.get(name)
        if entry is not None and entry.reach is not Reach.OUTSIDE:

            def raise_one(
                data: FailureData, rest: Sequence[Dependency], name: str = name
            ) -> tuple[FailureData, list[Dependency]]:
                return data, [_oftener(e) if e.name == name else e for e in rest]

            yield entry.failure.repair_s, raise_one


def _oftener(entry: Dependency) -> Dependency:
    return replace(entry, failure=replace(entry.failure, per_year=entry.failure.per_year * (1 + STEP)))


def _raised(region: Evaluation, change: Change) -> Evaluation:
    data, dependencies = change(region.data, list(region.dependencies.values()))
    return evaluate(region.placement, data, dependencies)


def _all_serve(
    parts: Sequence[_Region], shares: Sequence[float], times: RegionTimes, down: Mapping[str, bool]
) -> float:
    """Return the share of requests that nobody serves: two regions down at once, or a redirection under way."""
    aways = [part.unavailability(down) for part in parts]
    redirected = sum(
        share * part.first_seconds(times.redirect_s, down)[0] for share, part in zip(shares, parts, strict=True)
    )
    # Two or more at once, since each is sized to bear the loss of one.
    two_or_more = sum(_product(aways, gone) for gone in product((False, True), repeat=len(aways)) if sum(gone) >= 2)
    return min(1.0, two_or_more + redirected)


def _product(shares: Sequence[float], gone: Sequence[bool]) -> float:
    chance = 1.0
    for share, is_down in zip(shares, gone, strict=True):
        chance *= share if is_down else 1 - share
    return chance


def _one_by(parts: Sequence[_Region], times: RegionTimes, down: Mapping[str, bool]) -> tuple[float, float]:
    """Return the unavailability with the first leading and the others standing by, and switches a year."""
    early, often = parts[0].first_seconds(times.switch_s, down)
    all_away = 1.0
    for part in parts:
        all_away *= part.unavailability(down)
    return min(1.0, early + all_away), often
