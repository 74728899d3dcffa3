"""Percentiles, trends and smoothing against published worked examples, certified values and open series."""

import unittest
from datetime import timedelta

import numpy as np
from scipy.stats import theilslopes

from rombel.usage import Definition, PlannedEvent, Series, forecast, level_loads, percentile
from rombel.usage.coincidence import coincide
from rombel.usage.growth import GrowthParams, Trend, daily_peaks, reached_on
from rombel.usage.trends import doubly_smoothed, least_squares, robust
from tests.usage.open_data import open_series

RANK, LINEAR, WEIBULL = Definition.NEAREST_RANK, Definition.LINEAR, Definition.WEIBULL

# NIST/SEMATECH StRD "Norris", pairs of y and x (typed from memory; slope and intercept come out as certified).
NORRIS = """0.1 0.2 338.8 337.4 118.1 118.2 888.0 884.6 9.2 10.1 228.1 226.5 668.5 666.3 998.5 996.3 449.1 448.6 778.9 777.0
559.2 558.2 0.3 0.4 0.1 0.6 778.1 775.5 668.8 666.9 339.3 338.0 448.9 447.5 10.8 11.6 557.7 556.0 228.3 228.1 998.0 995.8
888.8 887.6 119.6 120.2 0.3 0.3 0.6 0.3 557.6 556.8 339.3 339.1 888.0 887.2 998.5 999.0 778.9 779.0 10.2 11.1 117.6 118.3
228.9 229.2 668.4 669.1 449.2 448.9 0.2 0.5"""


class TestPercentiles(unittest.TestCase):
    def test_the_handbook_example(self) -> None:
        """NIST/SEMATECH e-Handbook 7.2.6.2 (from memory): 95.1981 by its definition."""
        values = np.array([95.1772, 95.1567, 95.1937, 95.1959, 95.1442, 95.0610, 95.1591, 95.1195, 95.1065, 95.0925,
                           95.1990, 95.1682])  # fmt: skip
        self.assertAlmostEqual(percentile(values, 90, WEIBULL), 95.1981, places=4)
        self.assertAlmostEqual(percentile(values, 90, LINEAR), 95.19568, places=5)
        self.assertEqual(percentile(values, 90, RANK), 95.1959)

    def test_definitions_differ_as_published(self) -> None:
        """Hyndman & Fan 1996; and the well-known five values at 5, 30, 40, 50 and 100 percent."""
        five = np.array([15.0, 20, 35, 40, 50])
        self.assertEqual([percentile(five, p, RANK) for p in (5, 30, 40, 50, 100)], [15, 20, 20, 35, 50])
        self.assertEqual([percentile(five, p, LINEAR) for p in (5, 30, 40, 50, 100)], [16, 23, 29, 35, 50])
        hundred = np.arange(1.0, 101)
        found = [percentile(hundred, 95, definition) for definition in (RANK, LINEAR, WEIBULL)]
        for value, expected in zip(found, (95, 95.05, 95.95), strict=True):
            self.assertAlmostEqual(value, expected, places=9)

    def test_open_series(self) -> None:
        """Half-hourly electricity demand of 2000, and calls of a bank per five minutes."""
        demand = open_series("forecast", "taylor", "x")
        self.assertEqual((len(demand), percentile(demand, 95, RANK)), (4032, 37320))
        self.assertAlmostEqual(percentile(demand, 95, LINEAR), 37318.9, places=6)
        self.assertAlmostEqual(demand.max() / demand.mean(), 1.30928, places=5)
        calls = open_series("fpp3", "bank_calls", "Calls")
        self.assertEqual((len(calls), percentile(calls, 99, RANK)), (27716, 345))

    def test_a_gap_is_no_value(self) -> None:
        self.assertEqual(percentile(np.array([np.nan, 3.0, np.nan, 5.0]), 50), 3.0)
        self.assertTrue(np.isnan(percentile(np.array([np.nan]), 50)))


class TestTrends(unittest.TestCase):
    def test_least_squares_gives_the_certified_values(self) -> None:
        """NIST StRD Norris."""
        numbers = np.array(NORRIS.split(), float).reshape(-1, 2)
        line = least_squares(numbers[:, 1], numbers[:, 0])
        self.assertEqual(line.count, 36)
        self.assertAlmostEqual(line.slope, 1.00211681802045, places=11)
        self.assertAlmostEqual(line.intercept, -0.262323073774029, places=9)

    def test_the_robust_slope_is_that_of_the_reference_library(self) -> None:
        """scipy's theilslopes; the flow of the Nile, 1871 to 1970."""
        places = np.arange(5.0)
        odd = np.array([1.0, 2, 3, 4, 100])
        self.assertEqual((robust(places, odd).slope, least_squares(places, odd).slope), (1, 20))
        flow, years = open_series("datasets", "Nile", "value"), np.arange(1871.0, 1971)
        line, oracle = robust(years, flow), theilslopes(flow, years)
        self.assertAlmostEqual(line.slope, oracle.slope, places=9)
        self.assertAlmostEqual(line.intercept, oracle.intercept, places=6)
        self.assertAlmostEqual(line.slope, -2.6, places=9)
        self.assertAlmostEqual(least_squares(years, flow).slope, -2.7143054305, places=9)

    def test_smoothing_gives_the_handbook_s_columns(self) -> None:
        """NIST/SEMATECH e-Handbook 6.4.3.1 and 6.4.3.3 to 6.4.3.5 (from memory)."""
        series = np.array([71.0, 70, 69, 68, 64, 65, 72, 78, 75, 75, 75, 70])
        printed = [71, 70.9, 70.71, 70.44, 69.80, 69.32, 69.58, 70.43, 70.88, 71.29, 71.67]
        levels = [doubly_smoothed(series[:count], 0.1, 0.0, 0.0)[0] for count in range(1, 12)]
        np.testing.assert_allclose(levels, printed, atol=0.0051)
        rising = np.array([6.4, 5.6, 7.8, 8.8, 11.0, 11.6, 16.7, 15.3, 21.6, 22.4])
        level, trend = doubly_smoothed(rising, 0.3623, 1.0, 0.8)
        found = [level + ahead * trend for ahead in range(1, 6)]
        np.testing.assert_allclose(found, [25.8, 28.7, 31.7, 34.6, 37.6], atol=0.051)


class TestForecast(unittest.TestCase):
    def series(self, slope: float = 0.0, days: int = 42, noise: float = 0.0, seed: int = 5) -> Series:
        """Return a week's shape on a line, every ten minutes from a Monday on."""
        hours = np.arange(days * 144) / 6
        week = np.array([1.0, 1, 1, 1, 1.4, 0.8, 0.8])[(hours // 24).astype(int) % 7]
        day = 1 + 0.5 * np.sin(2 * np.pi * (hours % 24) / 24)
        rough = 1 + noise * np.random.default_rng(seed).standard_normal(days)[(hours // 24).astype(int)]
        return Series(1_792_972_800, 600, (10 + slope * hours / 24) * week * day * rough)

    def test_a_line_under_a_week_s_shape_is_found_by_every_trend(self) -> None:
        for trend in Trend:
            found = forecast(self.series(slope=0.1), params=GrowthParams(trend, horizon_days=28))
            mean = np.mean(found.expected)
            expected = np.mean(daily_peaks(self.series(slope=0.1, days=70), 99)[1][42:])
            with self.subTest(trend):
                self.assertAlmostEqual(mean / expected, 1, delta=0.02)
                self.assertGreater(found.weekday[4], 1.3)

    def test_one_odd_day_bends_the_line_and_not_the_robust_one(self) -> None:
        series = self.series()
        series.values[-144:] *= 6
        bent, straight = (
            forecast(series, params=GrowthParams(trend)).slope_per_week for trend in (Trend.LINEAR, Trend.ROBUST)
        )
        self.assertGreater(bent, 20 * abs(straight))

    def test_an_event_multiplies_its_days_and_tells_nothing_of_the_trend(self) -> None:
        plain = forecast(self.series())
        opening = PlannedEvent("opening", plain.ahead[7], plain.ahead[8], 1.5)
        found = forecast(self.series(), [opening])
        ratios = np.array(found.expected) / np.array(plain.expected)
        self.assertEqual([index for index, ratio in enumerate(ratios) if abs(ratio - 1) > 1e-9], [7, 8])
        past = PlannedEvent("past", plain.days[-1] - timedelta(days=1), plain.days[-1], 3.0)
        lifted = self.series()
        lifted.values[-288:] *= 3
        np.testing.assert_allclose(forecast(lifted, [past]).expected, plain.expected, rtol=1e-9)

    def test_the_band_holds_nine_days_in_ten_from_above(self) -> None:
        """Its half width leaves a tenth above, where days scatter normally (prediction interval of a line)."""
        shares = []
        for seed in range(30):
            whole = self.series(days=98, noise=0.05, seed=seed)
            known = Series(whole.start_s, whole.step_s, whole.values[: 70 * 144])
            found = forecast(known, params=GrowthParams(Trend.LINEAR, horizon_days=28))
            shares.append(np.mean(daily_peaks(whole, 99)[1][70:] > np.array(found.high)))
        self.assertTrue(0.06 < np.mean(shares) < 0.16, np.mean(shares))

    def test_a_month_ahead_is_no_worse_than_repeating_the_last_week(self) -> None:
        """Open half-hourly demand: daily peaks of weeks 9 to 12 from weeks 1 to 8 (5 June 2000 was a Monday)."""
        values = open_series("forecast", "taylor", "x")
        series = Series(960_163_200, 1800, values[: 8 * 336])
        found = forecast(series, params=GrowthParams(Trend.ROBUST, horizon_days=28, peak_percent=100))
        true = values[8 * 336 :].reshape(-1, 48).max(axis=1)
        naive = np.tile(values[7 * 336 : 8 * 336].reshape(-1, 48).max(axis=1), 4)
        error, repeated = (np.mean(np.abs(guess - true) / true) for guess in (np.array(found.expected), naive))
        self.assertLess(error, 0.06)
        self.assertLess(error, 1.6 * repeated)

    def test_a_limit_is_met_on_the_first_day_above_it(self) -> None:
        found = forecast(self.series(slope=0.1))
        limit = found.expected[20]
        day = reached_on(found.ahead, found.expected, limit)
        assert day is not None
        index = found.ahead.index(day)
        self.assertGreater(found.expected[index], limit)
        self.assertTrue(all(value <= limit for value in found.expected[:index]))
        self.assertIsNone(reached_on(found.ahead, found.expected, 1e9))

    def test_levels_of_a_series_share_the_time(self) -> None:
        found = level_loads(Series(0, 60, np.arange(1.0, 101)))
        assert found is not None
        self.assertEqual((found.trough, found.usual, found.peak), (25, 75, 100))
        self.assertEqual(found.shares, {"trough": 25, "usual": 50, "peak": 25})


class TestCoincidence(unittest.TestCase):
    def test_the_peak_of_the_sum_lies_between_the_largest_peak_and_the_sum_of_peaks(self) -> None:
        rng = np.random.default_rng(1)
        for _ in range(50):
            table = rng.lognormal(0, 1, (4, 60))
            found = coincide({str(n): Series(0, 60, line) for n, line in enumerate(table)})
            assert found is not None
            self.assertLessEqual(table.max(), found.peak_of_sum + 1e-9)
            self.assertLessEqual(found.peak_of_sum, found.sum_of_peaks + 1e-9)

    def test_a_moment_that_one_of_them_missed_tells_nothing(self) -> None:
        first, second = np.array([1.0, 9.0, 2.0]), np.array([1.0, np.nan, 5.0])
        found = coincide({"a": Series(0, 60, first), "b": Series(0, 60, second)})
        assert found is not None
        self.assertEqual((found.peak_of_sum, found.sum_of_peaks, found.at_s), (7, 7, 120))
        self.assertAlmostEqual(found.measured_share, 2 / 3)
        self.assertIsNone(coincide({"a": Series(0, 60, np.array([np.nan]))}))
