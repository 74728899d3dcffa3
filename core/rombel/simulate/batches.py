"""Batch means: what a long run says, and how sure it is."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass

STUDENT_95 = {5: 2.776, 10: 2.262, 15: 2.145, 20: 2.093}
"""Two-sided 95 % quantiles of Student's t for so many batches, one degree of freedom less (any statistical table)."""

FEWEST_BATCHES = min(STUDENT_95)


@dataclass(frozen=True, slots=True)
class BatchMeans:
    """A mean over batches with the half width of its 95 % confidence interval, and its standard error."""

    mean: float
    half_width: float
    error: float
    batches: int

    def holds(self, value: float) -> bool:
        """Return whether a value lies in the interval."""
        return abs(value - self.mean) <= self.half_width


def batch_means(values: Sequence[float]) -> BatchMeans:
    """Return mean and confidence from the means of equally long, nearly independent batches.

    The quantile is that of the largest tabled number of batches that is not above theirs: never too narrow.
    """
    count = len(values)
    mean = sum(values) / count
    # With fewer than two batches nothing is known of the spread.
    error = math.sqrt(sum((value - mean) ** 2 for value in values) / (count - 1) / count) if count > 1 else math.inf
    # The quantile of the largest tabled number of batches that is not above: a wider interval, never a narrower one.
    quantile = max((batches, t) for batches, t in STUDENT_95.items() if batches <= max(count, FEWEST_BATCHES))[1]
    return BatchMeans(mean, quantile * error if count >= FEWEST_BATCHES else math.inf, error, count)
