"""What must stay free while a node starts: the largest rise within its start-up, whatever the shape and the gaps."""

import unittest

import numpy as np

from rombel.usage import Series, rise_within


def series(values: list[float], step_s: int = 60) -> Series:
    return Series(0, step_s, np.array(values, float))


class TestRise(unittest.TestCase):
    def test_it_is_the_largest_rise_found_by_looking_at_every_pair_of_moments(self) -> None:
        rng = np.random.default_rng(4)
        one, other = rng.uniform(0, 9, 80), rng.uniform(0, 5, 80)
        total = one + other
        found = rise_within({"a": series(list(one)), "b": series(list(other))}, 180, percent=100)
        by_hand = max(max(0.0, total[u] - total[t]) for t in range(77) for u in range(t, t + 4))
        self.assertAlmostEqual(found.amount, by_hand)
        self.assertAlmostEqual(found.share, by_hand / total.max())

    def test_a_percentile_leaves_the_rare_jump_out_and_a_gap_is_no_jump(self) -> None:
        steady = [10.0] * 300
        steady[150:152] = [float("nan"), 90.0]
        self.assertEqual(rise_within({"a": series(steady)}, 60, percent=99).amount, 0.0)
        self.assertEqual(rise_within({"a": series([10.0] * 100 + [90.0] * 100)}, 60, percent=100).amount, 80.0)
        self.assertIsNone(rise_within({"a": series([1.0] * 10)}, 60))
        self.assertIsNone(rise_within({}, 60))

    def test_a_step_longer_than_the_start_counts_whole(self) -> None:
        slow = series([float(n) for n in range(40)], step_s=300)
        self.assertEqual(rise_within({"a": slow}, 180).amount, 1.0)
