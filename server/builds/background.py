"""Following a build: asked for once, looked at each second, told what people wish, and found again after a worker died."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import asdict
from typing import Any

from django.utils import timezone

from builds.models import ClusterBuild, Goal
from builds.service import BuildService, Seen
from catalogue.service import ServiceFailed, ServiceRefused
from jobs.control import Control
from jobs.kinds import Kind, Refusal, register, row_of
from jobs.models import Job
from rombel.building import Span, Work, expected_end, share_done
from rombel.errors import Fault

LOOK_EVERY_S, RECKON_EVERY_S = 1.0, 5.0
PATIENCE_S = 300.0
"""A service that has said nothing sensible for so long is no longer followed; what it builds it goes on building."""


class OutOfReach(Exception):
    """The service has not answered for longer than anybody waits."""


@register
class Following(Kind[ClusterBuild, Seen]):
    """Whoever takes it up asks for the build by its key, and is told how it stands."""

    name = "build"
    queue = "builds"
    computes = False
    endless = True
    stopped = "It is no longer followed; the provider goes on with it."
    defect = "It could not be followed any more by a fault of ours; the provider goes on with it. The log says more."

    def given(self, job: Job) -> ClusterBuild:
        """Return the build."""
        return row_of(ClusterBuild.objects.all(), job)

    def compute(self, given: ClusterBuild, control: Control) -> Seen:
        """Return how it ended."""
        return _Follower(given, control).run()

    def store(self, job: Job, given: ClusterBuild, result: Seen) -> str:
        """Keep how it ended."""
        keep_seen(given, result, None)
        return _told(result, given)

    def refusal(self, error: Exception) -> Refusal | None:
        """Return what the service does not take, or that it is out of reach."""
        if isinstance(error, ServiceRefused):
            faults = tuple(Fault("build.refused", "", text, "Fix it, and build again.") for text in error.faults)
            why = "; ".join(error.faults) or str(error)
            return Refusal(f"The provider does not take it: {why} Nothing was begun.", faults)
        return Refusal(str(error)) if isinstance(error, OutOfReach) else None

    def failed(self, job: Job, faults: Sequence[Fault]) -> None:
        """Let no wish wait that nobody will hear."""
        ClusterBuild.objects.filter(job=job).update(wish="")


class _Follower:
    """One worker's look at one build, from whenever it takes it up to the end."""

    def __init__(self, row: ClusterBuild, control: Control) -> None:
        self.row, self.control = row, control
        # Whatever is not answered is asked again a second later, so that few tries and a short wait are enough here.
        self.service = BuildService(row.address, tries=2, timeout_s=5.0)
        self.works = [work_of(each) for each in row.changes]
        self.heard = time.monotonic()
        self.begun = False
        self.reckoned = 0.0
        self.before: Seen | None = None

    def run(self) -> Seen:
        """Return the last that was seen of it."""
        while True:
            began = time.monotonic()
            seen = self._look()
            if seen is not None:
                self._told(seen)
                if seen.has_ended and self._has_run(seen):
                    return seen
            self.control.tell(self._phase(seen), 0.0 if seen is None else share_done(self.works, seen.done))
            time.sleep(max(0.0, LOOK_EVERY_S - (time.monotonic() - began)))

    def _look(self) -> Seen | None:
        """Return how it stands; None: the service did not say, which is borne for a while."""
        key = str(self.row.key)
        try:
            if not self.begun:
                how = {"remove": self.row.removes, "renew": self.row.goal == Goal.REPLACE, "volumes": self.row.volumes}
                seen = self.service.begin(key, self.row.wanted, **how)
                self.begun = True
            elif wish := self._wish():
                seen = self.service.steer(key, wish)
                # Another wish may have come meanwhile; only what was told is taken off.
                ClusterBuild.objects.filter(pk=self.row.pk, wish=wish).update(wish="")
            else:
                seen = self.service.look(key)
        except ServiceRefused as refused:
            if not self.begun:
                raise
            raise OutOfReach(f"The build service does not know this build any more: {refused}") from None
        except ServiceFailed as failed:
            self._bear(failed)
            return None
        self.heard = time.monotonic()
        return seen

    def _bear(self, failed: ServiceFailed) -> None:
        if time.monotonic() - self.heard > PATIENCE_S:
            words = f"The build service is out of reach: {failed} What it builds it goes on building; follow it again once it answers."
            raise OutOfReach(words) from None

    def _wish(self) -> str:
        return ClusterBuild.objects.filter(pk=self.row.pk).values_list("wish", flat=True).first() or ""

    def _has_run(self, seen: Seen) -> bool:
        """Let workloads run on what stands; return whether nothing is left to do."""
        if seen.state != "done" or self.row.removes or not self.row.workloads:
            return True
        try:
            self.service.run(self.row.cluster, self.row.workloads)
        except ServiceFailed as failed:
            self._bear(failed)
            return False
        return True

    def _told(self, seen: Seen) -> None:
        """Keep what is new, and reckon the end anew from time to time."""
        now = time.monotonic()
        expected = None
        if now - self.reckoned > RECKON_EVERY_S or seen.has_ended:
            self.reckoned = now
            expected = expected_of(self.works, seen)
        if seen != self.before or expected is not None:
            self.control.keep(lambda: keep_seen(self.row, seen, expected))
        self.before = seen

    def _phase(self, seen: Seen | None) -> str:
        if seen is None:
            return "waiting for the build service"
        done = len(seen.done)
        if seen.state in ("going back", "taken back"):
            return f"going back, {done} of {len(seen.items)} parts left"
        return f"{done} of {len(seen.items)} parts stand" + (f", {seen.state}" if seen.state != "running" else "")


def work_of(change: Mapping[str, Any]) -> Work:
    """Return a kept entry of a change list as a clock sees it."""
    return Work(change["key"], tuple(change["needs"]), Span(change["median_s"], change["p95_s"]))


def expected_of(works: Sequence[Work], seen: Seen) -> dict[str, float] | None:
    """Return the seconds to the end with their range, at the pace of what has ended; None: it has ended or goes back."""
    if seen.state not in ("running", "paused", "stuck"):
        return None
    medians = {work.key: work.span.median_s for work in works}
    ended = [
        (medians.get(key, 0.0), item.ended - item.began)
        for key, item in seen.items.items()
        if item.state == "done" and item.ended is not None and item.began is not None
    ]
    taken, usual = sum(own for _, own in ended), sum(median for median, _ in ended)
    found = expected_end(works, seen.done)
    pace = taken / usual if usual else 1.0
    return {name: value * pace for name, value in asdict(found).items()}


def keep_seen(row: ClusterBuild, seen: Seen, expected: Mapping[str, float] | None) -> None:
    """Keep what was seen of a build, and when it is expected to end where that was reckoned."""
    fields: dict[str, Any] = {
        "state": seen.state,
        "items": {key: asdict(item) for key, item in seen.items.items()},
        "outputs": dict(seen.outputs),
        "seen": timezone.now(),
    }
    if expected is not None:
        fields["expected"] = {**expected, "at": timezone.now().timestamp()}
    ClusterBuild.objects.filter(pk=row.pk).update(**fields)


def _told(seen: Seen, row: ClusterBuild) -> str:
    if seen.state == "taken back":
        return "It was taken back; nothing of what it made stands."
    return f"{row.cluster} stands no more." if row.removes else f"{row.cluster} stands."
