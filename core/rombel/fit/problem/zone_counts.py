"""Step 2. How many replicas of a class stand in each zone: what the spread rule, the promise and the quotas leave open.

Counts ``c`` over the zones a class may use (its *domains*) obey: a sum, ``max c - min c <= skew``, no more in a zone than its quotas
hold, and under *standing* no zone with more than what is above the number in all that must be left. More than ``replicas`` in
one zone never help to stand: cutting every count down to ``replicas`` keeps all of this.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


@dataclass(frozen=True, slots=True)
class ZoneRules:
    """What rules the counts of one class.

    Parameters
    ----------
    replicas
        How many must run.
    caps
        (D,) most replicas that the quotas of each domain hold; a domain that cannot hold any has 0.
    held
        (D,) replicas bound to each domain.
    skew
        Largest difference of the counts; None: free.
    left
        How many must be left without any one zone; None: that is not promised.

    """

    replicas: int
    caps: Ints
    held: Ints
    skew: int | None
    left: int | None

    @property
    def standing(self) -> bool:
        """Return whether some must be left without any one zone."""
        return self.left is not None

    def _most(self, total: int) -> Ints:
        # If every zone may be lost, none may hold more than the total less what must be left.
        return np.minimum(self.caps, total if self.left is None else total - self.left)

    def window(self, total: int, fewest: int) -> tuple[Ints, Ints]:
        """Return (D,) fewest and most replicas in each zone when ``total`` are placed and no zone has under ``fewest``."""
        most = self._most(total)
        if self.skew is not None:
            most = np.minimum(most, fewest + self.skew)
        return np.maximum(fewest, self.held), most

    def starts(self, total: int) -> Iterator[int]:
        """Yield the fewest replicas in a zone with which ``total`` can be placed, from the most even counts on."""
        # No zone can have more than the mean, nor more than the tightest cap, as its fewest.
        highest = min(total // max(1, len(self.caps)), int(self._most(total).min(initial=total)))
        # With a spread rule the most even counts are tried first; without one the fewest does not matter.
        for fewest in range(0 if self.skew is None else highest, -1, -1):
            low, most = self.window(total, fewest)
            if most.sum() < total:  # With fewer in the emptiest zone there is still less room.
                return
            if (low <= most).all() and low.sum() <= total:
                yield fewest

    def total(self) -> int | None:
        """Return the fewest replicas that can be placed under these rules; None where there are no such counts."""
        # Standing needs at most as many in a zone as are asked for in all: then the others can be left with enough.
        if self.left is None:
            return self.replicas if next(self.starts(self.replicas), None) is not None else None
        fullest = np.minimum(self.caps, self.replicas)
        if self.skew is not None:
            fullest = np.minimum(fullest, int(fullest.min(initial=self.replicas)) + self.skew)
        if fullest.sum() < self.replicas or fullest.sum() - fullest.max(initial=0) < self.left:
            return None
        sums = range(self.replicas, int(fullest.sum()) + 1)
        return next((total for total in sums if next(self.starts(total), None) is not None), None)

    def most_placed(self) -> int:
        """Return the most replicas, at most ``replicas``, that the spread rule and the caps allow without any promise."""
        fewest = int(self.caps.min(initial=self.replicas))
        caps = self.caps if self.skew is None else np.minimum(self.caps, fewest + self.skew)
        return min(self.replicas, int(caps.sum()))

    def nearest(self, counts: Floats, total: int) -> tuple[int, Ints, Ints] | None:
        """Return the sum and the window nearest to wanted counts (D,), which may be parts; None where none is allowed.

        Only *standing* leaves the sum open: it is then the first from the wanted one on that the rules allow.
        """
        # More than wanted is looked at first: standing replicas can be placed on top, never taken away.
        sums = [total]
        if self.standing:
            wanted = max(total, int(np.ceil(counts.sum() - 1e-6)))
            sums = [*range(wanted, len(self.caps) * self.replicas + 1), *range(wanted - 1, total - 1, -1)]
        for placed in sums:
            around = int(np.floor(min(counts.tolist(), default=0.0)))
            best, least = None, np.inf
            for fewest in self.starts(placed):
                low, most = self.window(placed, fewest)
                away = float(np.abs(np.clip(counts, low, most) - counts).sum())
                if away < least - 1e-6:
                    best, least = (placed, low, most), away
                # Further away it only gets worse, since the windows move away from what is wanted.
                if fewest < around - 1:
                    break
            if best is not None:
                return best
        return None
