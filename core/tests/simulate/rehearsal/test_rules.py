"""Replica autoscaling against the published API: its documentation's own examples, from memory, and its fields' text."""

import unittest
from fractions import Fraction
from math import ceil

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from rombel.model.rehearsal import ScalingPolicy, ScalingRules
from rombel.simulate.rehearsal._rules import DISABLED, MAX, MIN, least_after, most_after, recommended, stabilised
from rombel.simulate.rehearsal.building import policy_rows

NONE = np.zeros((1, 2), np.int64)


def asked(current: int, metric: int, target: int, up: int = 100, down: int = 100) -> int:
    """Return what a metric asks for when every pod is ready and shows it."""
    return int(recommended(current * metric, current, 0, 0, target, up, down, current))


def table(*policies: ScalingPolicy) -> np.ndarray:
    """Return policies as the compiled rules read them."""
    return np.array(policy_rows(ScalingRules(policies=policies)), np.int64).reshape(-1, 3)


def changes(*entries: tuple[int, int]) -> np.ndarray:
    """Return what changed when."""
    return np.array(entries or [(-(10**9), 0)], np.int64)


class TestRecommended(unittest.TestCase):
    def test_examples_of_the_documentation(self) -> None:
        # "Horizontal Pod Autoscaling", algorithm details, from memory: twice the target doubles, half of it halves.
        self.assertEqual([asked(1, 200, 100), asked(4, 50, 100)], [2, 2])
        cases = ((3, 111, 100), (10, 89, 100), (10, 105, 100), (5, 90, 50), (7, 60, 80), (4, 80, 60))
        self.assertEqual([asked(*case) for case in cases], [4, 9, 10, 9, 6, 6])

    def test_a_tolerance_of_its_own_each_way(self) -> None:
        # Text of the API reference, field tolerance: target 100Mi, 5 % down and 1 % up: below 95Mi or above 101Mi.
        unit = 2**20
        moved = {mi: asked(100, mi * unit, 100 * unit, up=10, down=50) != 100 for mi in (94, 95, 96, 100, 101, 102)}
        self.assertEqual(moved, {94: True, 95: False, 96: False, 100: False, 101: False, 102: True})

    def test_pods_without_a_metric_count_against_the_change(self) -> None:
        # Documentation, from memory: as idle where it would grow, at the target where it would shrink; no change where that reverses it.
        missing = [int(recommended(3 * each, 3, 0, 1, 100, 100, 100, 4)) for each in (150, 130, 50)]
        self.assertEqual(missing, [5, 4, 3])

    @given(st.integers(1, 500), st.integers(0, 10**9), st.integers(1, 10**6), st.integers(0, 300), st.integers(0, 300))
    def test_the_edge_of_a_tolerance_is_exact(self, current: int, used: int, target: int, up: int, down: int) -> None:
        ratio = Fraction(used, current * target)
        inside = 1 - Fraction(down, 1000) <= ratio <= 1 + Fraction(up, 1000)
        expected = current if inside else ceil(ratio * current)
        self.assertEqual(int(recommended(used, current, 0, 0, target, up, down, current)), expected)

    @given(st.integers(0, 40), st.integers(1, 40), st.integers(0, 40), st.integers(0, 40), st.integers(0, 10**6))
    def test_pods_that_show_nothing_never_make_a_change_larger_or_turn_it_round(
        self, spare: int, ready: int, unready: int, missing: int, used: int
    ) -> None:
        current = ready + unready + missing
        now = int(recommended(used, ready, unready, missing, 1000, 100, 100, current))
        if used > ready * 1000:
            self.assertGreaterEqual(now, current)
            self.assertLessEqual(now, max(current, -(-used // 1000)))
        else:
            self.assertLessEqual(now, current)


class TestBehaviour(unittest.TestCase):
    def test_the_documented_shrinking_by_the_larger_of_four_pods_and_a_tenth(self) -> None:
        # "Configurable scaling behavior", from memory: 80 pods to 10.
        policies = table(ScalingPolicy(pods=4, period_s=60), ScalingPolicy(percent=10, period_s=60))
        counts, history = [80], changes()
        for minute in range(14):
            new = max(10, int(least_after(policies, MAX, history, 60 * minute, counts[-1])))
            history = np.vstack([history, [[60 * minute, new - counts[-1]]]]).astype(np.int64)
            counts.append(new)
        self.assertEqual(counts, [80, 72, 64, 57, 51, 45, 40, 36, 32, 28, 24, 20, 16, 12, 10])

    def test_the_documented_growing_by_the_larger_of_four_pods_and_as_many_again(self) -> None:
        policies = table(ScalingPolicy(pods=4, period_s=15), ScalingPolicy(percent=100, period_s=15))
        counts, history = [1], changes()
        for step in range(6):
            new = min(100, int(most_after(policies, MAX, history, 15 * step, counts[-1])))
            history = np.vstack([history, [[15 * step, new - counts[-1]]]]).astype(np.int64)
            counts.append(new)
        self.assertEqual(counts, [1, 5, 10, 20, 40, 80, 100])

    def test_within_a_period_what_came_already_counts_and_is_not_taken_back(self) -> None:
        policies = table(ScalingPolicy(pods=4, period_s=60))
        self.assertEqual(int(most_after(policies, MAX, changes((0, 3)), 30, 13)), 14)
        self.assertEqual(int(most_after(policies, MAX, changes((0, 9)), 30, 19)), 19)
        self.assertEqual(int(least_after(policies, MAX, changes((0, -3)), 30, 10)), 9)

    def test_select(self) -> None:
        policies = table(ScalingPolicy(pods=4, period_s=60), ScalingPolicy(percent=50, period_s=60))
        most = [int(most_after(policies, select, NONE, 100, 20)) for select in (MAX, MIN, DISABLED)]
        least = [int(least_after(policies, select, NONE, 100, 20)) for select in (MAX, MIN, DISABLED)]
        self.assertEqual((most, least), ([30, 24, 20], [10, 16, 20]))

    @given(st.integers(0, 50), st.integers(0, 50), st.integers(0, 50))
    def test_windows_only_ever_damp(self, current: int, one: int, other: int) -> None:
        lowest, highest = min(one, other), max(one, other)
        new = int(stabilised(current, lowest, highest))
        # The lowest recommendation for growing, the highest for shrinking (published text).
        self.assertEqual(new, lowest if current < lowest else highest if current > highest else current)
