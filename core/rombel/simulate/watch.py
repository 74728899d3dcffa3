"""What is seen of workloads, journeys and the control plane while a drill is played: who served less than it must, and for how long."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from rombel.model.demand import parted_name
from rombel.model.drill import DrillBook
from rombel.model.journey import is_down
from rombel.simulate.cluster import Cluster

Seconds = NDArray[np.float64]


@dataclass(slots=True)
class Span:
    """A state that comes and goes: for how many seconds it held, and since when it holds now (None: it does not)."""

    total: float = 0.0
    since: float | None = None

    def note(self, holds: bool, now: float) -> None:
        """Say whether it holds from now on."""
        if holds and self.since is None:
            self.since = now
        elif not holds and self.since is not None:
            self.total, self.since = self.total + now - self.since, None

    def until(self, now: float) -> float:
        """Return for how many seconds it has held up to now."""
        return self.total + (0.0 if self.since is None else now - self.since)


class Watch:
    """What has been seen so far.

    Parameters
    ----------
    cluster, book
        What is watched, and which journeys and members there are.

    """

    def __init__(self, cluster: Cluster, book: DrillBook) -> None:
        self.cluster, self.book = cluster, book
        count = len(cluster.workloads)
        self.needed = np.array([self._needed(i) for i in range(count)], np.int64)
        self.least = cluster.served().copy()
        self.lost, self.moved = np.zeros(count, np.int64), np.zeros(count, np.int64)
        self.waited_s: Seconds = np.zeros(count)
        self.short = [Span() for _ in range(count)]
        self.journeys = {journey.name: Span() for journey in book.journeys}
        self.no_quorum = Span()
        self.found_no_room: list[str] = []
        self.serving_at = 0.0
        self.members = Counter(dict(book.members))
        self.down: set[str] = set()
        """Dependencies that do not work now."""

    def _needed(self, i: int) -> int:
        """Return how many replicas must serve: as stated, else those that a loss must leave, else all."""
        workload, wished = self.cluster.workloads[i], int(self.cluster.wished[i])
        stated = self.book.behaviour_of(workload.name).needed
        return min(wished, workload.left if stated is None else stated)

    @property
    def has_quorum(self) -> bool:
        """Return whether a majority of the control plane's members stands; without members it is not looked at."""
        whole = sum(self.book.members.values())
        return whole == 0 or self.members.total() >= whole // 2 + 1

    def note(self, now: float) -> None:
        """See who serves less than it must from now on, or enough again."""
        served = self.cluster.served()
        # The fewest that ever served is asked of every moment, as it may pass within a second.
        np.minimum(self.least, served, out=self.least)
        short = served < self.needed
        for i, span in enumerate(self.short):
            if short[i] or span.since is not None:
                span.note(bool(short[i]), now)
                self.serving_at = now
        self.no_quorum.note(not self.has_quorum, now)
        if self.journeys:
            # Workloads placed as one are down together; a journey names them one by one.
            units = [self.cluster.workloads[int(i)].name for i in np.flatnonzero(short)]
            down = self.down | {member for unit in units for member, _ in parted_name(unit)}
            for journey in self.book.journeys:
                self.journeys[journey.name].note(is_down(journey.chain, down), now)
