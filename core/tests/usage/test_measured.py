"""From samples to use: gaps, counters, replicas; and proposals for requests with what they save and risk."""

import unittest

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from rombel.errors import InputRefused
from rombel.model.measured import Measured
from rombel.model.pod import Amounts
from rombel.usage import Series, SizingPolicy, assemble, gather, increases, percentile, propose, regular
from rombel.usage.workload_usage import Raw

MIB = 2**20


def raw(values: list[float], replica: str = "", counter: bool = False, step: int = 60) -> Raw:
    return Raw(np.arange(len(values)) * float(step), np.array(values, float), counter, replica)


class TestSeries(unittest.TestCase):
    def test_a_counter_that_starts_again_never_falls(self) -> None:
        """Published behaviour of counters (from memory): 100, 160, 20, 80 rose by 60 + 20 + 60."""
        rises = increases(np.arange(4.0), np.array([100.0, 160, 20, 80]))
        self.assertEqual((rises.tolist(), rises.sum()), ([60, 20, 60], 140))
        use = gather([raw([100, 160, 20, 80], "a", counter=True)], 1)
        self.assertEqual(use.resets, 1)
        self.assertEqual(use.total.present.tolist(), [1.0, 20 / 60, 1.0])

    def test_a_gap_is_neither_zero_nor_a_mean(self) -> None:
        series = regular(np.array([0.0, 60, 240]), np.array([1.0, 2, 3]), 60)
        self.assertEqual([None if np.isnan(v) else v for v in series.values], [1, 2, None, None, 3])
        self.assertAlmostEqual(series.gap_share, 0.4)
        self.assertEqual(regular(np.array([0.0, 60]), np.array([np.inf, 1.0]), 60).values.tolist(), [1.0])

    def test_without_one_replica_s_sample_nobody_knows_the_sum(self) -> None:
        nan = float("nan")
        use = gather([raw([1, 1, 1, 1, 1], "a"), raw([nan, 2, nan, 2, nan], "b")], 5)
        self.assertEqual([None if np.isnan(v) else v for v in use.total.values], [1, 3, None, 3, 1])
        self.assertEqual(use.busiest.values.tolist(), [1, 2, 1, 2, 1])
        self.assertEqual((use.replicas, use.from_totals), (1.4, False))

    def test_totals_are_shared_evenly_and_say_that_they_hide_the_busiest(self) -> None:
        use = gather([raw([8, 4])], 4)
        self.assertEqual((use.busiest.values.tolist(), use.from_totals), ([2, 1], True))

    def test_milliseconds_read_as_seconds_are_refused(self) -> None:
        with self.assertRaises(InputRefused):
            regular(np.array([0.0, 1.7e12]), np.array([1.0, 2.0]), 60)

    def test_series_find_their_workload_by_labels_or_by_the_name_of_their_pod(self) -> None:
        times = np.arange(3) * 60.0

        def one(metric: str, **labels: str) -> Measured:
            return Measured(metric, labels, metric.endswith("_total"), times, np.array([6.0, 12, 18]))

        found = assemble(
            [
                one("container_cpu_usage_seconds_total", namespace="shop", pod="api-7d9f-x2x"),
                one("memory_working_set_bytes", namespace="shop", pod="api-worker-0"),
                one("requests_total", namespace="shop", deployment="api"),
                one("cpu_cores", namespace="shop", pod="unknown-1"),
                one("temperature", namespace="shop", pod="api-1"),
            ],
            {"shop/api": 2, "shop/api-worker": 1},
        )
        self.assertEqual(set(found.usage), {("shop/api", "cpu"), ("shop/api-worker", "memory"), ("shop/api", "rate")})
        self.assertEqual(found.usage["shop/api", "cpu"].total.present.tolist(), [0.1, 0.1])
        self.assertEqual(sum(found.left_out.values()), 2)


def week(values: list[float]) -> Series:
    return Series(0, 300, np.resize(np.array(values, float), 2016))


class TestProposals(unittest.TestCase):
    def test_a_proposal_is_the_percentile_with_its_margin_rounded_up(self) -> None:
        cpu, memory = week([0.1 * n for n in range(1, 11)]), week([100.0 * MIB, 200.0 * MIB])
        found = propose(Amounts(2000, 1024 * MIB), Amounts(0, 250 * MIB), cpu, memory)
        self.assertEqual(found.request, Amounts(1150, 240 * MIB))
        self.assertEqual((found.cpu_over_now, found.memory_over_then), (0, 0))
        self.assertEqual((found.most_over_limit, found.caution), (0.8, ""))

    def test_what_was_not_measured_keeps_its_request_and_short_or_gappy_series_warn(self) -> None:
        found = propose(Amounts(700, 5), Amounts(), None, None)
        self.assertEqual((found.request, found.cpu_over_now, found.caution), (Amounts(700, 5), None, "not measured"))
        series = Series(0, 600, np.array([1.0, np.nan] * 100))
        caution = propose(Amounts(), Amounts(), series, None, from_totals=True).caution
        for words in ("no whole week", "50 % of the time", "busier one is hidden", "short bursts"):
            self.assertIn(words, caution)

    @given(st.lists(st.floats(0.001, 64), min_size=1, max_size=60), st.floats(1, 100), st.integers(0, 200))
    def test_at_most_the_rest_of_the_time_is_over_and_memory_never(
        self, values: list[float], percent: float, margin: int
    ) -> None:
        series = week(values)
        memory = Series(0, 300, series.values * 2**30)
        policy = SizingPolicy(cpu_percentile=percent, cpu_margin_percent=margin, memory_margin_percent=margin)
        found = propose(Amounts(1, 1), Amounts(), series, memory, policy)
        assert found.cpu_over_then is not None
        self.assertLessEqual(found.cpu_over_then, 1 - percent / 100 + 1e-9)
        self.assertEqual(found.memory_over_then, 0)
        self.assertGreaterEqual(found.request.cpu_millicores + 1e-6, 1000 * percentile(series.values, percent))
        wider = propose(
            Amounts(1, 1),
            Amounts(),
            series,
            memory,
            SizingPolicy(cpu_percentile=percent, cpu_margin_percent=margin + 10),
        )
        self.assertGreaterEqual(wider.request.cpu_millicores, found.request.cpu_millicores)
