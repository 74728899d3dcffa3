"""Where demand is heading: a trend of daily peaks, the week's shape, planned events, a band, and when limits are met."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime, timedelta
from enum import StrEnum
from itertools import pairwise

import numpy as np

from rombel.errors import refuse
from rombel.usage.events import PlannedEvent, factor_on
from rombel.usage.percentile import percentile
from rombel.usage.series import Series, Values
from rombel.usage.trends import Line, doubly_smoothed, least_squares, robust

DAY_S = 86_400
WEEK = 7


class Trend(StrEnum):
    """How the trend is found."""

    LINEAR = "linear"
    ROBUST = "robust"
    SMOOTHED = "smoothed"


@dataclass(frozen=True, slots=True)
class GrowthParams:
    """How a forecast is made.

    Parameters
    ----------
    trend
        ``linear``: least squares. ``robust``: median of slopes, which one odd day does not bend. ``smoothed``: double
        exponential smoothing, which follows the last weeks.
    horizon_days
        How far ahead.
    band_deviations
        Half width of the band; 1.2816 leaves one in ten days above it, where the scatter is normal.
    peak_percent
        A day's peak is this percentile of its samples.
    alpha, gamma
        Weights of the smoothing.

    """

    trend: Trend = Trend.ROBUST
    horizon_days: int = 120
    band_deviations: float = 1.2816
    peak_percent: float = 99.0
    alpha: float = 0.3
    gamma: float = 0.1


@dataclass(frozen=True, slots=True)
class Forecast:
    """Daily peaks, measured and to come.

    Parameters
    ----------
    days, peaks
        Measured days and their peaks; NaN: too little of the day was measured.
    ahead, expected, low, high
        Days to come with the peak expected and its band, events included.
    slope_per_week
        Rise of the peak in a week, the week's shape taken out.
    weekday
        (7,) factor of each weekday, Monday first.
    daily
        (24,) mean of each hour over the mean of the day, UTC.
    caution
        What makes the forecast less sure; empty: nothing.

    """

    days: tuple[date, ...]
    peaks: tuple[float, ...]
    ahead: tuple[date, ...]
    expected: tuple[float, ...]
    low: tuple[float, ...]
    high: tuple[float, ...]
    slope_per_week: float
    weekday: tuple[float, ...]
    daily: tuple[float, ...]
    caution: str

    def growth_percent(self) -> int:
        """Return how much higher the highest day to come is than the highest measured day, events included; at least 0."""
        measured = np.array([value for value in self.peaks if value == value])
        now = float(measured.max(initial=0.0))
        return max(0, int(np.ceil(100 * (max(self.expected, default=now) / now - 1) - 1e-9))) if now else 0


def forecast(series: Series, events: Sequence[PlannedEvent] = (), params: GrowthParams | None = None) -> Forecast:
    """Return the forecast of a series' daily peaks.

    Events that lie in the measured time are taken out of it before the trend is sought.

    Raises
    ------
    InputRefused
        When fewer than four days were measured.

    """
    params = params or GrowthParams()
    days, peaks = daily_peaks(series, params.peak_percent)
    # Days of an event are brought back to what they would have been without it.
    plain = peaks / np.array([factor_on(events, day) for day in days])
    known = np.flatnonzero(~np.isnan(plain))
    # Two days make a line through anything.
    if len(known) < 4:
        reason = f"Only {len(known)} whole days were measured; a trend needs at least four."
        raise refuse("usage.days", "", reason, "Measure longer, or state the growth yourself.")
    shape = weekday_factors(days, plain)
    # Without the shape of the week a Sunday would look like a fall.
    level = plain[known] / np.array([shape[days[index].weekday()] for index in known])
    line = _line(known.astype(np.float64), level, params)
    ahead = tuple(days[-1] + timedelta(days=count) for count in range(1, params.horizon_days + 1))
    expected, low, high = [], [], []
    for count, day in enumerate(ahead):
        index = len(days) + count
        factor = shape[day.weekday()] * factor_on(events, day)
        # Event and weekday are laid back over the line.
        middle, half = line.at(index), params.band_deviations * line.deviation(index)
        expected.append(max(0.0, middle * factor))
        low.append(max(0.0, (middle - half) * factor))
        high.append(max(0.0, (middle + half) * factor))
    return Forecast(
        tuple(days), tuple(float(value) for value in peaks), ahead, tuple(expected), tuple(low), tuple(high),
        WEEK * line.slope, tuple(float(value) for value in shape), tuple(hour_shape(series)), _caution(days, known),
    )  # fmt: skip


def daily_peaks(series: Series, peak_percent: float) -> tuple[list[date], Values]:
    """Return the days of a series (UTC) and the peak of each; NaN where under half of the day was measured."""
    times = series.start_s + series.step_s * np.arange(len(series.values))
    day_of = times // DAY_S
    first = int(day_of[0]) if len(day_of) else 0
    last = int(day_of[-1]) if len(day_of) else -1
    days = [datetime.fromtimestamp(day * DAY_S, UTC).date() for day in range(first, last + 1)]
    # Days are cut by search, as there may be years of minutes.
    starts = np.searchsorted(day_of, np.arange(first, last + 2))
    peaks = []
    for begin, end in pairwise(starts):
        values = series.values[begin:end]
        # A day that was measured for less than half tells no peak.
        enough = 2 * np.count_nonzero(~np.isnan(values)) * series.step_s >= DAY_S
        peaks.append(percentile(values, peak_percent) if enough else float("nan"))
    return days, np.array(peaks)


def weekday_factors(days: Sequence[date], peaks: Values) -> Values:
    """Return (7,) the factor of each weekday: median of its peaks over the seven-day mean around them; 1 if unknown.

    Under two weeks tell nothing of a week's shape.
    """
    shape = np.ones(WEEK)
    # Two weeks at least, or each weekday would be its own trend.
    if np.count_nonzero(~np.isnan(peaks)) < 2 * WEEK:
        return shape
    around = np.array([_mean(peaks[max(0, index - 3) : index + 4]) for index in range(len(peaks))])
    ratios = peaks / around
    for weekday in range(WEEK):
        own = np.array([ratio for day, ratio in zip(days, ratios, strict=True) if day.weekday() == weekday])
        own = own[~np.isnan(own)]
        if len(own):
            shape[weekday] = float(np.median(own))
    # Factors mean one on average, so the line keeps its level.
    scaled: Values = shape / shape.mean()
    return scaled


def _mean(values: Values) -> float:
    present = values[~np.isnan(values)]
    return float(present.mean()) if len(present) else float("nan")


def hour_shape(series: Series) -> list[float]:
    """Return 24 factors: the mean of each hour (UTC) over the mean of all; 1 where an hour was not measured."""
    times = series.start_s + series.step_s * np.arange(len(series.values))
    hours = times // 3600 % 24
    whole = _mean(series.values)
    means = [_mean(series.values[hours == hour]) for hour in range(24)]
    return [mean / whole if whole and mean == mean else 1.0 for mean in means]


def _line(places: Values, level: Values, params: GrowthParams) -> Line:
    if params.trend is Trend.LINEAR:
        return least_squares(places, level)
    line = robust(places, level)
    if params.trend is Trend.ROBUST:
        return line
    last, slope = doubly_smoothed(level, params.alpha, params.gamma, line.slope)
    # The last level stands at the last place; the line is drawn back from there.
    return Line(last - slope * float(places[-1]), slope, line.spread, line.count, line.mean_at, line.squares)


def _caution(days: Sequence[date], known: np.ndarray) -> str:
    if len(known) < 2 * WEEK:
        return f"{len(known)} days measured: too few to tell the week's shape from a trend"
    if len(days) < 8 * WEEK:
        return f"{len(days)} days measured: a season of the year cannot be told from a trend"
    return ""


def reached_on(ahead: Sequence[date], values: Sequence[float], limit: float) -> date | None:
    """Return the first day on which a forecast goes above a limit; None: not in its time."""
    return next((day for day, value in zip(ahead, values, strict=True) if value > limit), None)
