"""How whoever reads a long text tells how far it is, and hears that it is to stop."""

from __future__ import annotations

import time
from typing import Any

from jobs.claims import Claim

TELL_EVERY_S = 0.3


class Stopped(Exception):
    """Somebody asked to stop, or the claim is another worker's by now."""


class Telling:
    """Writes the share that was read to a claimed row, and stops where somebody asked to.

    Parameters
    ----------
    held
        The claim of the row.
    most
        The share of the whole that reading is.

    """

    def __init__(self, held: Claim[Any], most: float = 0.9) -> None:
        self._held, self._most, self._last = held, most, time.monotonic()

    def __call__(self, share: float) -> None:
        """Take note of a share from 0 to 1.

        Raises
        ------
        Stopped
            When there is nothing more to do.

        """
        now = time.monotonic()
        if now - self._last < TELL_EVERY_S:
            return
        self._last = now
        if self._held.tell(share=self._most * share):
            raise Stopped
