"""How long a build takes: what each change takes, and when all of them are done."""

from __future__ import annotations

import heapq
import math
import random
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from dataclasses import dataclass, field

from rombel.building.parts import PartKind

DRAWS = 40
AT_ONCE = 20
"""So many parts are under way at the same time: common practice, no source."""
_Z95 = 1.6448536269514722
"""Standard normal deviate that one in twenty exceeds."""


@dataclass(frozen=True, slots=True)
class Span:
    """Seconds that something takes: the median, and what one in twenty exceeds (lognormal)."""

    median_s: float
    p95_s: float

    def drawn(self, rng: random.Random) -> float:
        """Return a duration drawn from it; what takes no time takes none."""
        if not self.median_s:
            return 0.0
        # A lognormal's logarithm is normal about that of the median; the 95th percentile gives its width.
        return self.median_s * math.exp(math.log(self.p95_s / self.median_s) / _Z95 * rng.gauss(0, 1))


def _spans(*rows: tuple[PartKind, tuple[float, float], tuple[float, float], tuple[float, float]]) -> _Spans:
    """Return spans by kind of part: to create, to change and to remove one."""
    return {kind: (Span(*create), Span(*change), Span(*remove)) for kind, create, change, remove in rows}


_Spans = Mapping[PartKind, tuple[Span, Span, Span]]
_USUAL = _spans(
    (PartKind.RANGE, (20, 60), (40, 120), (20, 60)),
    (PartKind.GATEWAY, (120, 300), (120, 300), (90, 240)),
    (PartKind.CONTROL_PLANE, (720, 1500), (600, 1200), (240, 480)),
    (PartKind.POOL, (90, 240), (30, 90), (60, 180)),
    (PartKind.NODE, (180, 330), (300, 600), (120, 400)),
    (PartKind.ADD_ON, (45, 120), (45, 120), (20, 60)),
    (PartKind.VOLUME, (20, 60), (20, 60), (15, 60)),
)


@dataclass(frozen=True, slots=True)
class Times:
    """How long things take.

    The spans are those of a cluster that stands within 18 to 45 minutes: common practice, no source.
    """

    spans: _Spans = field(default_factory=lambda: _USUAL)


@dataclass(frozen=True, slots=True)
class Expected:
    """Seconds until all is done: in the middle of drawn builds, and between which nine of ten of them end."""

    median_s: float
    early_s: float
    late_s: float


@dataclass(frozen=True, slots=True)
class Work:
    """A change as a clock sees it: what it waits for, and what it takes."""

    key: str
    needs: tuple[str, ...]
    span: Span


def finished_at(
    works: Sequence[Work], at_once: int, duration: Callable[[Work], float], done: Collection[str] = ()
) -> dict[str, float]:
    """Return when each work that is not done ends, in seconds from now, where so many are under way at once, the first listed first.

    Complexity: O(n log n) in works and needs.
    """
    works = [work for work in works if work.key not in done]
    open_keys = {work.key for work in works}
    waits = {work.key: sum(need in open_keys for need in work.needs) for work in works}
    after: dict[str, list[int]] = {}
    for place, work in enumerate(works):
        for need in work.needs:
            after.setdefault(need, []).append(place)
    # Places in the list and not keys: of several that could begin, the first listed does.
    ready = [place for place, work in enumerate(works) if not waits[work.key]]
    # Both heaps hold places, so that equal times are taken in the order of the list.
    heapq.heapify(ready)
    under_way: list[tuple[float, int]] = []
    ended, now = dict[str, float](), 0.0
    while ready or under_way:
        while ready and len(under_way) < at_once:
            place = heapq.heappop(ready)
            heapq.heappush(under_way, (now + duration(works[place]), place))
        now, place = heapq.heappop(under_way)
        ended[works[place].key] = now
        for later in after.get(works[place].key, ()):
            waits[works[later].key] -= 1
            if not waits[works[later].key]:
                heapq.heappush(ready, later)
    return ended


def expected_end(
    works: Sequence[Work], done: Collection[str] = (), *, at_once: int = AT_ONCE, seed: int = 0, draws: int = DRAWS
) -> Expected:
    """Return how long what is not done takes, from builds whose durations are drawn.

    With many things at once the sum of medians is too short: some of them always take long. What is under way counts as not begun: a
    clock that has run for a while says nothing of when it ends.
    """
    rng = random.Random(seed)
    drawn = sorted(
        max(finished_at(works, at_once, lambda work: work.span.drawn(rng), done).values(), default=0.0)
        for _ in range(draws)
    )
    return Expected(drawn[draws // 2], drawn[int(0.05 * draws)], drawn[int(0.95 * draws)])


def share_done(works: Iterable[Work], done: Collection[str]) -> float:
    """Return the share of the work that is done, each weighted by its median; nothing to do is all done."""
    weights = [(work.span.median_s, work.key in done) for work in works]
    whole = math.fsum(weight for weight, _ in weights)
    return math.fsum(weight for weight, is_done in weights if is_done) / whole if whole else 1.0
