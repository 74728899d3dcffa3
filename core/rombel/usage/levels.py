"""Trough, usual and peak loads from a measured series, and the share of the time at each."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from rombel.usage.percentile import percentile
from rombel.usage.series import Series


@dataclass(frozen=True, slots=True)
class LevelLoads:
    """Loads that a series stays under for a share of the time, and the shares of the time in percent.

    Time counts to the lowest level that bears it; the shares sum to 100.
    """

    trough: float
    usual: float
    peak: float
    shares: dict[str, int]


def level_loads(series: Series, trough_percent: float = 25, usual_percent: float = 75) -> LevelLoads | None:
    """Return the levels of a series by nearest rank; the peak is its 99.5th percentile, None where nothing was measured.

    Parameters
    ----------
    series
        What all replicas used together.
    trough_percent, usual_percent
        Share of the time that each level bears.

    """
    values = series.present
    if not len(values):
        return None
    trough, usual, peak = (percentile(values, percent) for percent in (trough_percent, usual_percent, 99.5))
    # Whole percent that add up to a hundred: the last takes the rest.
    low = round(100 * float(np.mean(values <= trough)))
    middle = round(100 * float(np.mean(values <= usual))) - low
    return LevelLoads(trough, usual, peak, {"trough": low, "usual": middle, "peak": 100 - low - middle})
