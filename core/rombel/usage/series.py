"""Measured values at even steps of time, where a gap is a gap and never a zero."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
import numpy.typing as npt

from rombel.errors import refuse

Values = npt.NDArray[np.float64]

MOST_STEPS = 1_000_000
"""Most steps one series may span: about two years of minutes."""


@dataclass(frozen=True, slots=True, eq=False)
class Series:
    """Values at ``start_s + n * step_s`` (seconds since 1970, UTC); NaN where nothing was measured.

    Parameters
    ----------
    start_s, step_s
        Whole seconds.
    values
        (T,) one value for each step.

    """

    start_s: int
    step_s: int
    values: Values

    @property
    def present(self) -> Values:
        """Return the values that were measured."""
        return self.values[~np.isnan(self.values)]

    @property
    def gap_share(self) -> float:
        """Return the share of steps without a value."""
        return float(np.isnan(self.values).mean()) if len(self.values) else 1.0


def increases(times_s: Values, totals: Values) -> Values:
    """Return (N-1,) how much a counter rose between samples; after a reset it starts at zero, never below.

    Source: published behaviour of counters in metrics data (from memory); nothing is extrapolated.
    """
    if len(times_s) != len(totals):
        raise ValueError("As many times as totals are needed.")
    steps = np.diff(totals)
    return np.where(steps < 0, totals[1:], steps)


def resets(totals: Values) -> int:
    """Return how often a counter fell."""
    return int((np.diff(totals) < 0).sum())


def rates(times_s: Values, totals: Values) -> tuple[Values, Values]:
    """Return the times and the rises a second of a counter, each at the end of its interval."""
    elapsed = np.diff(times_s)
    # Two samples of one moment would divide by nothing.
    later = elapsed > 0
    return times_s[1:][later], increases(times_s, totals)[later] / elapsed[later]


def usual_step(times_s: Values) -> int:
    """Return the commonest distance of neighbouring samples in whole seconds; 60 where there is but one sample."""
    # The commonest, not the mean: a gap must not stretch the grid.
    steps = np.rint(np.diff(np.unique(times_s))).astype(np.int64)
    steps = steps[steps > 0]
    if not len(steps):
        return 60
    found, counts = np.unique(steps, return_counts=True)
    return int(found[counts.argmax()])


def regular(times_s: Values, values: Values, step_s: int, grid: tuple[int, int] | None = None) -> Series:
    """Return samples laid on even steps; two on one step give their mean, none gives a gap.

    Parameters
    ----------
    times_s, values
        (N,) samples in any order; those that are not finite count as not measured.
    step_s
        Distance of the steps.
    grid
        First second and number of steps; None: from the first sample to the last.

    Raises
    ------
    InputRefused
        When the samples span more than a million steps.

    """
    keep = np.isfinite(values) & np.isfinite(times_s)
    times_s, values = times_s[keep], values[keep]
    if grid is None:
        start = int(times_s.min(initial=np.inf) // step_s * step_s) if len(times_s) else 0
        grid = start, int((times_s.max() - start) // step_s + 1) if len(times_s) else 0
    start, count = grid
    # Milliseconds read as seconds span thousands of years.
    if count > MOST_STEPS:
        reason = f"The samples span {count:,} steps of {step_s} s; at most {MOST_STEPS:,} are read."
        raise refuse("usage.span", "", reason, "Check the times: are milliseconds read as seconds?")
    index = ((times_s - start) // step_s).astype(np.int64)
    inside = (index >= 0) & (index < count)
    # Several samples on one step are averaged.
    sums = np.bincount(index[inside], values[inside], minlength=count)
    hits = np.bincount(index[inside], minlength=count)
    with np.errstate(invalid="ignore"):
        return Series(start, step_s, np.where(hits > 0, sums / np.maximum(hits, 1), np.nan))
