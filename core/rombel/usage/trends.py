"""Straight lines and smoothed levels through samples at even steps.

Sources: NIST/SEMATECH e-Handbook of Statistical Methods, 6.4.3 (single and double exponential smoothing); Theil 1950
and Sen 1968 for the robust slope; least squares with its prediction interval as in any text on regression.
"""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from rombel.usage.series import Values


@dataclass(frozen=True, slots=True)
class Line:
    """A straight line with what it takes for a prediction's band.

    Parameters
    ----------
    intercept, slope
        Value at 0 and rise of one step.
    spread
        Standard deviation of the samples around the line.
    count, mean_at, squares
        Samples, mean of their places, and sum of squared distances from it.

    """

    intercept: float
    slope: float
    spread: float
    count: int
    mean_at: float
    squares: float

    def at(self, index: float) -> float:
        """Return the line's value."""
        return self.intercept + self.slope * index

    def deviation(self, index: float) -> float:
        """Return the standard deviation of one new sample there: its own scatter and the line's uncertainty."""
        # The further from the middle of what was measured, the less the slope is known.
        lever = (index - self.mean_at) ** 2 / self.squares if self.squares else 0.0
        return self.spread * math.sqrt(1 + 1 / max(self.count, 1) + lever)


def least_squares(places: Values, values: Values) -> Line:
    """Return the line with the least squared distances; at least two places."""
    mean_at, mean = float(places.mean()), float(values.mean())
    squares = float(((places - mean_at) ** 2).sum())
    slope = float(((places - mean_at) * (values - mean)).sum() / squares) if squares else 0.0
    rest = values - mean - slope * (places - mean_at)
    spread = math.sqrt(float((rest**2).sum()) / max(len(values) - 2, 1))
    return Line(mean - slope * mean_at, slope, spread, len(values), mean_at, squares)


def robust(places: Values, values: Values) -> Line:
    """Return the line through the medians: its slope is the median of all slopes between two samples.

    O(n^2) in time and memory; the spread is 1.4826 times the median distance (as for a normal scatter).
    """
    # All pairs: a single wild day moves the median of slopes by next to nothing (Theil 1950, Sen 1968).
    left, right = np.triu_indices(len(places), 1)
    apart = places[right] - places[left]
    slopes = (values[right] - values[left])[apart != 0] / apart[apart != 0]
    slope = float(np.median(slopes)) if len(slopes) else 0.0
    intercept = float(np.median(values) - slope * np.median(places))
    rest = values - intercept - slope * places
    # The median absolute deviation as a standard deviation of normal scatter.
    spread = 1.4826 * float(np.median(np.abs(rest - np.median(rest))))
    mean_at = float(places.mean())
    return Line(intercept, slope, spread, len(values), mean_at, float(((places - mean_at) ** 2).sum()))


def doubly_smoothed(values: Values, alpha: float, gamma: float, trend: float) -> tuple[float, float]:
    """Return the level and the trend after the last sample, by double exponential smoothing; without a trend, by single.

    Parameters
    ----------
    values
        (N,) at even steps; the first is the first level.
    alpha, gamma
        Weights of a new sample for the level and for the trend, from 0 to 1.
    trend
        The trend to start from.

    """
    level = float(values[0])
    for value in values[1:]:
        before = level
        level = alpha * float(value) + (1 - alpha) * (level + trend)
        trend = gamma * (level - before) + (1 - gamma) * trend
    return level, trend
