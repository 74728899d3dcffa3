"""Ranks, budgets and rounding against exact fractions."""

import math
import unittest
from fractions import Fraction

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from rombel.model.demand import Budget
from rombel.usage.percentile import percentile


class TestExact(unittest.TestCase):
    @given(st.integers(1, 1200), st.integers(0, 1000))
    def test_nearest_rank_against_exact_fractions(self, count: int, tenths: int) -> None:
        """The p-th percentile of 1 to n by nearest rank is p * n / 100 rounded up, and 1 at least, in exact fractions."""
        rank = max(1, math.ceil(Fraction(tenths, 10) * count / 100))
        self.assertEqual(percentile(np.arange(1.0, count + 1), tenths / 10), rank)

    def test_ranks_that_floats_miss(self) -> None:
        self.assertEqual(percentile(np.arange(1.0, 26.0), 28.0), 7)
        self.assertEqual(percentile(np.arange(1.0, 1001.0), 99.9), 999)

    @given(st.integers(1, 500), st.integers(0, 100), st.data())
    def test_disruption_budgets_count_shares_of_the_replicas_wished_for(
        self, wished: int, share: int, data: st.DataObject
    ) -> None:
        """At least the share, rounded up, stays healthy, however many are healthy now (common practice of the API's text)."""
        healthy = data.draw(st.integers(0, wished))
        kept = math.ceil(Fraction(wished * share, 100))
        self.assertEqual(Budget(min_available=f"{share}%").allowed(wished, healthy), max(0, healthy - kept))
        down = wished - min(wished, kept)
        self.assertEqual(Budget(max_unavailable=f"{share}%").allowed(wished, healthy), max(0, healthy - down))

    def test_eight_of_ten_at_eighty_percent_may_lose_none(self) -> None:
        self.assertEqual(Budget(min_available="80%").allowed(10, 8), 0)
