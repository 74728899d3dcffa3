"""Whether peaks coincide: the sum of the peaks against the peak of the sum."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import numpy as np

from rombel.usage.series import Series


@dataclass(frozen=True, slots=True)
class Coincidence:
    """Peaks of several workloads, one by one and together.

    Parameters
    ----------
    sum_of_peaks, peak_of_sum
        In the unit of the series, over the steps at which every workload was measured.
    at_s
        When the sum has its peak.
    measured_share
        Share of the steps at which every one was measured; the others tell nothing of a sum.

    """

    sum_of_peaks: float
    peak_of_sum: float
    at_s: int
    measured_share: float

    @property
    def ratio(self) -> float:
        """Return the peak of the sum over the sum of the peaks: 1 where all peak at once."""
        return self.peak_of_sum / self.sum_of_peaks if self.sum_of_peaks else 1.0


def coincide(series: Mapping[str, Series]) -> Coincidence | None:
    """Return how far the peaks coincide; None where no step has all of them measured.

    Parameters
    ----------
    series
        By workload, on one grid.

    """
    if not series:
        return None
    table = np.stack([entry.values for entry in series.values()])
    # A moment in which one was not measured says nothing of the sum.
    whole = ~np.isnan(table).any(axis=0)
    if not whole.any():
        return None
    sums = np.where(whole, np.nansum(table, axis=0), -np.inf)
    index = int(sums.argmax())
    first = next(iter(series.values()))
    peaks = table[:, whole].max(axis=1).sum()
    return Coincidence(float(peaks), float(sums[index]), first.start_s + index * first.step_s, float(whole.mean()))
