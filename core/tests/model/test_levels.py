"""Demand levels: how many replicas run at trough, usual, peak and grown peak, and what a bound cuts."""

import math
import unittest
from dataclasses import replace

from hypothesis import given
from hypothesis import strategies as st

from rombel.model.demand import (
    Basis,
    Budget,
    Demand,
    Level,
    Partitioned,
    Sizing,
    WorkloadKind,
    joined_name,
    parted_name,
)
from rombel.model.demand_faults import demand_faults
from rombel.model.levels import hour_shares, levels_of
from rombel.model.pod import Amounts

ROW = Demand("shop", "api", WorkloadKind.REPLICATED, 8, Amounts(500, 2**30))


def counts(sizing: Sizing, growth: int = 0, row: Demand = ROW) -> list[int]:
    return [count.replicas for count in levels_of(replace(row, sizing=sizing), growth).values()]


class TestLevels(unittest.TestCase):
    def test_each_basis_gives_its_replicas(self) -> None:
        self.assertEqual(counts(Sizing(), 25), [8, 8, 8, 10])
        self.assertEqual(counts(Sizing(Basis.RANGE, least=3, most=20)), [3, 8, 20, 20])
        rate = Sizing(Basis.RATE, target_percent=70, trough=35, usual=350, peak=351, per_replica=50)
        self.assertEqual(counts(rate, 100), [1, 10, 11, 21])
        usage = Sizing(Basis.USAGE, target_percent=80, trough=400, usual=4000, peak=4001)
        self.assertEqual(counts(usage), [1, 10, 11, 11])
        # Two erlangs, at most a fifth waiting longer than a service: three servers let 16 % wait that long.
        queue = Sizing(Basis.QUEUE, trough=1, usual=1, peak=1, service_s=2, wait_s=2, late_percent=20)
        self.assertEqual(counts(queue), [3, 3, 3, 3])

    def test_bounds_and_the_scale_ceiling_cut_and_say_so(self) -> None:
        level = levels_of(replace(ROW, sizing=Sizing(Basis.RANGE, least=2, most=10)), 30)[Level.GROWN]
        self.assertEqual((level.replicas, level.wanted, level.cut), (10, 13, True))
        held = replace(ROW, replicas=20, partitioned=Partitioned(4, 3))
        level = levels_of(held)[Level.PEAK]
        self.assertEqual((level.replicas, level.cut, held.ceiling), (12, True, 12))

    @given(st.sampled_from(list(Basis)), st.lists(st.floats(0.1, 500), min_size=3, max_size=3), st.integers(0, 300))
    def test_a_higher_level_never_runs_fewer(self, basis: Basis, loads: list[float], growth: int) -> None:
        trough, usual, peak = sorted(loads)
        sizing = Sizing(
            basis, least=1, most=500, trough=trough, usual=usual, peak=peak, per_replica=7, service_s=0.5, wait_s=1
        )
        found = counts(sizing, growth)
        self.assertEqual(found, sorted(found))

    @given(st.floats(0.1, 400), st.integers(10, 100), st.integers(1, 60))
    def test_use_gives_the_count_at_which_the_published_autoscaler_rests(
        self, cores: float, target: int, start: int
    ) -> None:
        """API documentation "Horizontal Pod Autoscaling" (from memory): desired = ceil(current * metric / target)."""
        sizing = Sizing(Basis.USAGE, target_percent=target, trough=1, usual=1, peak=1000 * cores)
        count = levels_of(replace(ROW, sizing=sizing))[Level.PEAK].replicas
        current = start
        for _ in range(3):
            used = 100 * 1000 * cores / (current * ROW.request.cpu_millicores)
            current = math.ceil(current * used / target - 1e-9)
        self.assertEqual(current, count)

    def test_shares_of_the_hours_sum_to_one_and_what_is_to_come_has_none(self) -> None:
        shares = hour_shares({"trough": 20, "usual": 50, "peak": 10})
        self.assertEqual((sum(shares.values()), shares[Level.GROWN], shares[Level.USUAL] * 8), (1, 0, 5))


class TestDemand(unittest.TestCase):
    def test_budgets_round_as_the_api_reference_asks(self) -> None:
        """Documentation "Specifying a Disruption Budget" (from memory): shares of both kinds round up."""
        for stated, replicas, allowed in (
            (Budget(min_available="50%"), 7, 3),
            (Budget(max_unavailable="50%"), 7, 4),
            (Budget(min_available="67%"), 3, 0),
            (Budget(min_available="66%"), 3, 1),
            (Budget(min_available="7%"), 100, 93),
            (Budget(max_unavailable="2"), 1, 1),
        ):
            with self.subTest(stated=stated, replicas=replicas):
                self.assertEqual(stated.allowed(replicas), allowed)

    def test_copies_are_whole_again_when_one_share_of_them_was_taken_in(self) -> None:
        parts = Partitioned(24, 3, data_bytes=900 * 2**30, resync_bytes_per_s=100 * 2**20)
        self.assertAlmostEqual(parts.resync_seconds(9) or 0, 900 * 1024 * 3 / 9 / 100)
        self.assertEqual(parts.resync_seconds(100), parts.resync_seconds(72))
        self.assertIsNone(Partitioned(2, 1).resync_seconds(2))

    def test_names_of_groups_can_be_taken_apart(self) -> None:
        parts = [("a/b", 1), ("c/d", 12)]
        self.assertEqual(parted_name(joined_name(parts)), parts)
        self.assertEqual(parted_name("shop/api"), [("shop/api", 1)])

    def test_contradictions_of_a_row_or_a_group_are_named(self) -> None:
        wrong = [
            replace(ROW, sizing=Sizing(Basis.RANGE, least=5, most=2)),
            replace(ROW, name="b", sizing=Sizing(Basis.RATE, trough=9, usual=5, peak=7)),
            replace(ROW, name="c", together="g"),
            replace(ROW, name="d", together="g", promised=False),
        ]
        codes = {fault.code for fault in demand_faults(wrong)}
        self.assertEqual(codes, {"demand.most", "demand.peak_load", "demand.per_replica", "demand.together"})
