"""How whoever computes tells how far it is, and hears that it is to stop."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable
from decimal import Decimal

from jobs.claims import AWAY, Claim, patiently
from jobs.clock import before
from jobs.models import Job, JobStatus
from rombel.fit import Progress

log = logging.getLogger("rombel.jobs")

TELL_EVERY_S = 0.15
SELDOMER = 12
"""A part tells so many times more seldom: how far it is nobody is shown, and a thousand workers may compute parts at once."""
WAITS_S = 1.0
"""A job that has waited so long has found no free worker."""


SERVED: set[str] = set()
"""Kinds of job that this worker takes; empty: all. It gives way to no other ones, as it could not do them."""


class Stopped(Exception):
    """Somebody wishes the job to stop, or another worker holds it by now; what has no result yet ends here."""


class Control:
    """Of one job while it is computed; once it says stop it says so to all parts, to the end.

    Parameters
    ----------
    claim
        The right to compute the job.
    told
        Is given every progress that is written down.
    gives_way
        Whether the job is to stop, and go on later, where a job of a higher priority finds no worker.

    """

    def __init__(self, claim: Claim, told: Callable[[Progress], None], *, gives_way: bool = False) -> None:
        self._claim, self._told, self._may_give_way = claim, told, gives_way
        self._last, self._every = 0.0, TELL_EVERY_S * (1 if claim.job.parent_id is None else SELDOMER)
        self.gave_way = False

    @property
    def stops(self) -> bool:
        """Return whether to stop."""
        return self.gave_way or self._claim.stopped.is_set()

    def on_progress(self, progress: Progress) -> bool:
        """Take note of how far it is; return whether to stop."""
        now = time.monotonic()
        # A write each time would cost more than what is computed between two of them.
        if now - self._last > self._every and not self.stops:
            self._last = now
            self._write(progress)
        return self.stops

    def tell(self, phase: str, share: float) -> None:
        """Take note of how far it is.

        Raises
        ------
        Stopped
            When to stop.

        """
        if self.on_progress(Progress(phase, share, Decimal(0), Decimal(0))):
            raise Stopped

    def reading(self, share: float) -> None:
        """Take note of the share of a text that was read, as ``tell`` does; what comes after is the last tenth."""
        self.tell("reading", 0.9 * share)

    def keep(self, write: Callable[[], object]) -> None:
        """Write down what is known so far, as long as the claim holds."""
        patiently(lambda: self._claim.keep(write))

    def _write(self, progress: Progress) -> None:
        try:
            self._claim.tell(phase=progress.phase[:80], share=progress.share)
            self._told(progress)
            if self._may_give_way:
                self.gave_way = self._sooner_waits()
        # How far it is is lost for a moment, and no work: the result waits for the database when it is stored.
        except AWAY:
            log.warning("the database is away; computing goes on")

    def _sooner_waits(self) -> bool:
        waiting = Job.objects.filter(status=JobStatus.QUEUED, created_at__lte=before(WAITS_S), stop_requested=False)
        sooner = waiting.filter(priority__gt=self._claim.job.priority)
        # A question stops for a fit only where this very worker would take the fit next.
        return (sooner.filter(kind__in=SERVED) if SERVED else sooner).exists()
