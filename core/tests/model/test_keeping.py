"""Answers are thinned to the newest, the last of each day and the last of each month; thinning often or seldom ends in the same."""

import random
import unittest
from datetime import UTC, datetime, timedelta

from rombel.model.keeping import kept_places

START = datetime(2026, 1, 1, tzinfo=UTC)


def thinned(made: list[datetime], now: datetime) -> list[datetime]:
    """Return those that are kept."""
    kept = kept_places(made, now, newest=3, days=10)
    return [at for place, at in enumerate(made) if place in kept]


class TestKeeping(unittest.TestCase):
    def test_the_newest_the_last_of_each_day_and_of_each_month_are_kept(self) -> None:
        made = [START + timedelta(hours=7 * step) for step in range(300)]
        now = made[-1]
        kept = thinned(made, now)
        self.assertEqual(kept[-3:], made[-3:])
        recent = {at.date() for at in made if at > now - timedelta(days=10)}
        self.assertLessEqual(recent, {at.date() for at in kept})
        for month in (1, 2):
            self.assertIn(max(at for at in made if at.month == month), kept)
        self.assertLess(len(kept), 3 + 11 + 4)

    def test_what_is_left_out_is_never_wanted_later(self) -> None:
        rng = random.Random(5)
        for _ in range(50):
            made = sorted(START + timedelta(minutes=rng.randrange(60 * 24 * 90)) for _ in range(200))
            often: list[datetime] = []
            for at in made:
                often = thinned([*often, at], at)
            end = made[-1] + timedelta(days=rng.randrange(40))
            self.assertEqual(thinned(often, end), thinned(made, end))
