"""How far demand rises while a new node starts: what must stay free, or wait."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from rombel.usage.percentile import percentile
from rombel.usage.series import Series

NODE_START_S = 180
"""Seconds from asking for a node until it takes replicas. Common practice, no source: two to five minutes."""


@dataclass(frozen=True, slots=True)
class Rise:
    """The largest rise of a sum within some seconds.

    Parameters
    ----------
    amount
        In the unit of the series; the rise is no larger in ``percent`` of the moments.
    peak
        Of the sum.
    percent, within_s
        As asked for; steps longer than that count whole, which makes the rise larger than it was.

    """

    amount: float
    peak: float
    percent: float
    within_s: int

    @property
    def share(self) -> float:
        """Return the rise as a share of the peak."""
        return self.amount / self.peak if self.peak else 0.0


def rise_within(
    series: Mapping[str, Series], within_s: int = NODE_START_S, *, percent: float = 99.0, least_moments: int = 20
) -> Rise | None:
    """Return how far the sum of series rises within some seconds; None where too few moments tell.

    Parameters
    ----------
    series
        By workload, on one grid.
    within_s
        How long a node takes to start.
    percent
        Of the moments that are to be covered, from 0 to 100; by nearest rank.
    least_moments
        Moments needed, each with everything measured until it is over.

    """
    if not series:
        return None
    first = next(iter(series.values()))
    total = np.stack([entry.values for entry in series.values()]).sum(axis=0)
    steps = -(-within_s // first.step_s)
    if len(total) <= steps:
        return None
    # The highest of the steps within the lead time, from every moment on.
    ahead = np.stack([total[step : len(total) - steps + step] for step in range(steps + 1)])
    rises = (ahead.max(axis=0) - ahead[0])[~np.isnan(ahead).any(axis=0)]
    # A percentile of a handful says nothing.
    if len(rises) < least_moments:
        return None
    return Rise(percentile(rises, percent), float(np.nanmax(total)), percent, within_s)
