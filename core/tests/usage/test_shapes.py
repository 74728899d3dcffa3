"""Demand from a few words: what each word does, weekdays from the calendar, and every clause that is not understood."""

import unittest
from datetime import UTC, date, datetime

import numpy as np

from rombel.errors import InputRefused
from rombel.usage import Need, PlannedEvent, Series, read_shape

MONDAY_S = int(datetime(2026, 12, 14, tzinfo=UTC).timestamp())
NEED = Need(2.0, 5.0, 10.0)
HOURS = (MONDAY_S, 3600, 14 * 24)


def replicas(words: str, workload: str = "bookings/api", **more: object) -> np.ndarray:
    """Return what words make of a workload over two weeks, hour by hour, from a Monday."""
    return read_shape(words, MONDAY_S).replicas(workload, NEED, HOURS, **more)


class TestShapes(unittest.TestCase):
    def test_a_day_goes_from_trough_to_peak_and_every_day_is_alike(self) -> None:
        day = replicas("day").reshape(14, 24)
        self.assertTrue((np.abs(day - day[0]) < 1e-9).all())
        self.assertAlmostEqual(day.min(), 2.0, delta=0.2)
        self.assertAlmostEqual(day.max(), 10.0, delta=0.3)
        self.assertEqual(set(replicas("steady")), {5.0})

    def test_weekends_are_those_of_the_calendar(self) -> None:
        # 14 December 2026 is a Monday (python's calendar).
        self.assertEqual(date(2026, 12, 14).weekday(), 0)
        week = replicas("steady, week to 40%").reshape(14, 24)[:, 12]
        self.assertEqual([round(value, 9) for value in week[:7]], [5, 5, 5, 5, 5, 2, 2])

    def test_each_word_does_what_it_says_where_it_says(self) -> None:
        burst = replicas("steady, burst x3 at Fri 09:00 for 2 h on bookings/*")
        self.assertEqual(np.flatnonzero(burst == 15.0).tolist(), [4 * 24 + 9, 4 * 24 + 10])
        self.assertEqual(set(replicas("steady, burst x3 at Fri 09:00 for 2 h on crew/*")), {5.0})
        self.assertEqual(replicas("steady, burst x2 at day 3 23:00 for 1 h").argmax(), 2 * 24 + 23)
        ramp = replicas("steady, ramp to 150% over 5 d")
        self.assertEqual((ramp[0], round(ramp[60], 9), ramp[-1]), (5.0, 6.25, 7.5))
        growth = replicas("steady, growth 10% a week")
        self.assertAlmostEqual(growth[7 * 24] / growth[0], 1.1)
        self.assertEqual(replicas("steady, x1.5")[7], 7.5)
        event = PlannedEvent("opening", date(2026, 12, 16), date(2026, 12, 16), 2.0)
        daily = replicas("steady, events", events=(event,)).reshape(14, 24).mean(axis=1)
        self.assertEqual(daily[:4].tolist(), [5, 5, 10, 5])

    def test_measured_weeks_are_laid_on_by_weekday_and_gaps_stay_gaps(self) -> None:
        # Three weeks from a Thursday, each hour its own number; two of them not measured.
        start = MONDAY_S - 25 * 86_400
        values = np.arange(21 * 24, dtype=float)
        values[10 * 24] = np.nan
        shown = replicas("measured", measured=Series(start, 3600, values))
        for place in (0, 30, 100, 250):
            source = int(shown[place])
            self.assertEqual((MONDAY_S + place * 3600 - start - source * 3600) % (7 * 86_400), 0)
        self.assertEqual(np.isnan(shown).sum(), 1)

    def test_what_is_not_understood_is_told_with_its_column(self) -> None:
        with self.assertRaises(InputRefused) as refused:
            read_shape("day, brust x3 at Fri 09:00 for 2 h, steady, burst x3 at Fri 25:00 for 2 h", MONDAY_S)
        told = [(fault.column, fault.reason) for fault in refused.exception.faults]
        self.assertEqual([column for column, _ in told], [6, 37, 45])
        self.assertIn("begins with 'day' already", told[1][1])
