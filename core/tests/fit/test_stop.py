"""A wish to stop is heard by every part of a fit, at whatever moment it comes, and leaves a right answer or none."""

import time
import unittest

from bench.instances import Realistic, realistic

from rombel.fit import Progress, check, fit
from rombel.model.fit_solution import FitStatus


class After:
    """Wishes to stop after some seconds, when asked from the thread that listens; never says so when told of progress."""

    def __init__(self, seconds: float) -> None:
        self._end = time.monotonic() + seconds

    def on_progress(self, progress: Progress) -> bool:
        return False

    def wishes_to_stop(self) -> bool:
        return time.monotonic() > self._end


class TestStop(unittest.TestCase):
    def test_whenever_it_comes_the_answer_holds_or_says_that_there_is_none(self) -> None:
        problem = realistic(3, Realistic(classes=40, types=20, replicas=1500, survive="landing"))
        for seconds in (0.0, 0.2, 0.6, 1.2, 2.5):
            with self.subTest(seconds=seconds):
                solution = fit(problem, observer=After(seconds))
                self.assertIn(solution.status, (FitStatus.STOPPED, FitStatus.UNKNOWN, FitStatus.OPTIMAL))
                self.assertTrue(check(problem, solution).holds)
