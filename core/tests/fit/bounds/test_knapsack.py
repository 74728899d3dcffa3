"""The knapsack behind the floor: exact when it ends, and a valid bound when it is stopped."""

import itertools
import unittest

import numpy as np

from rombel.fit.bounds.knapsack import best_pattern


def brute_force(values: np.ndarray, request: np.ndarray, capacity: np.ndarray, most: np.ndarray) -> float:
    best = 0.0
    for counts in itertools.product(*(range(m + 1) for m in most)):
        if (np.array(counts) @ request <= capacity).all():
            best = max(best, float(np.array(counts) @ values))
    return best


class TestBestPattern(unittest.TestCase):
    def test_against_enumeration_with_any_weights_and_any_effort(self) -> None:
        rng = np.random.default_rng(3)
        for _ in range(60):
            classes, width = 4, int(rng.integers(1, 4))
            values, request = rng.random(classes), rng.integers(1, 6, (classes, width))
            capacity, most = rng.integers(5, 15, width), rng.integers(0, 4, classes)
            weight = rng.random(width) * rng.choice([0.0, 0.1, 1.0])
            truth = brute_force(values, request, capacity, most)
            pattern, value, bound = best_pattern(values, request, capacity, most, weight, 100_000)
            self.assertAlmostEqual(value, truth)
            self.assertAlmostEqual(float(pattern @ values), value)
            self.assertTrue((pattern @ request <= capacity).all() and (pattern <= most).all())
            self.assertGreaterEqual(bound, truth - 1e-9)
            _, _, early = best_pattern(values, request, capacity, most, weight, int(rng.integers(1, 12)))
            self.assertGreaterEqual(early, truth - 1e-9, "a stopped search must still bound every pattern")
