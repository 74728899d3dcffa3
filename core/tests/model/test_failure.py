"""Failure data: steady-state figures by the published formulas, figures laid over others, and what is refused."""

from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from rombel.errors import InputRefused
from rombel.model.failure import (
    MINUTES_PER_BUDGET_MONTH,
    ORIGINS,
    SECONDS_PER_YEAR,
    Failure,
    FailureData,
    FailureKind,
    Origin,
    budget_minutes,
    failure_of,
    share_of_minutes,
)
from rombel.model.fit_problem import Survival

RATES = st.floats(0.001, 1000)
REPAIRS = st.floats(1, 86_400)


class TestFailure(TestCase):
    @given(RATES, REPAIRS)
    def test_unavailability_is_repair_over_working_and_repair_time(self, per_year: float, repair_s: float) -> None:
        """MTTR / (MTBF + MTTR), steady-state availability (IEC 61703, from memory)."""
        working_s = SECONDS_PER_YEAR / per_year
        self.assertAlmostEqual(Failure(per_year, repair_s).unavailability, repair_s / (working_s + repair_s), places=12)

    @given(RATES, REPAIRS, st.floats(0, 1))
    def test_the_beta_factor_divides_a_failure_into_parts_that_add_up(
        self, per_year: float, repair_s: float, beta: float
    ) -> None:
        """IEC 61508-6, annex D: a share of the failures is common to all, the rest is each one's own."""
        whole = Failure(per_year, repair_s)
        parts = whole.thinned(beta).unavailability + whole.thinned(1 - beta).unavailability
        self.assertAlmostEqual(parts, whole.unavailability, places=12)

    @given(RATES, REPAIRS, st.floats(0, 200_000))
    def test_whoever_waits_no_longer_than_a_window_loses_no_more_than_the_repair_and_no_more_than_that(
        self, per_year: float, repair_s: float, window_s: float
    ) -> None:
        failure = Failure(per_year, repair_s)
        share = failure.unavailability_up_to(window_s)
        self.assertLessEqual(share, failure.unavailability * (1 + 1e-12))
        self.assertAlmostEqual(share, failure.unavailability * min(1.0, window_s / repair_s), places=12)

    @given(st.floats(0, 0.99), REPAIRS)
    def test_a_failure_stated_by_its_unavailability_has_it(self, share: float, repair_s: float) -> None:
        self.assertAlmostEqual(failure_of(share, repair_s).unavailability, share, places=12)

    def test_minutes_of_a_budget_month_go_there_and_back(self) -> None:
        """99.9 % allow 43.2 minutes of a month of 30 days (common practice, no source)."""
        self.assertAlmostEqual(budget_minutes(0.001), 43.2)
        self.assertAlmostEqual(share_of_minutes(budget_minutes(0.0123)), 0.0123)
        self.assertEqual(MINUTES_PER_BUDGET_MONTH, 43_200)

    def test_shares_that_no_failure_can_have_are_refused(self) -> None:
        for share, repair in ((-0.1, 60), (1.0, 60), (0.5, 0)):
            with self.assertRaises(InputRefused):
                failure_of(share, repair)


class TestFailureData(TestCase):
    def test_what_is_stated_lies_over_the_defaults_with_its_own_origin_and_the_rest_stays(self) -> None:
        plain = FailureData()
        data = plain.overlaid({"zone": {"per_year": 2, "repair_s": 600, "why": "own record"}, "detect_s": 10})
        zone = data.failures[FailureKind.ZONE]
        self.assertEqual((zone.per_year, zone.repair_s, zone.origin, zone.why), (2, 600, Origin.STATED, "own record"))
        self.assertEqual((data.detect_s, data.origins["detect_s"]), (10, (Origin.STATED, "")))
        for kind in FailureKind:
            if kind is not FailureKind.ZONE:
                self.assertEqual(data.failures[kind], plain.failures[kind])
        self.assertEqual(data.origins["evict_s"], ORIGINS["evict_s"])
        self.assertEqual(plain, FailureData())

    def test_every_fault_is_told_at_once_with_the_name_of_its_field(self) -> None:
        stated = {
            "node": {"per_year": -1, "repair_s": 60},
            "zone": {"per_year": 1, "repair_s": 0},
            "zone_beta": 1.5,
            "region_beta": -0.1,
            "evict_s": 90_000,
            "serving_percent": 0,
            "weather": 3,
        }
        with self.assertRaises(InputRefused) as refused:
            FailureData().overlaid(stated)
        paths = {fault.path for fault in refused.exception.faults}
        wanted = {"node.per_year", "zone.repair_s", "zone_beta", "region_beta", "evict_s", "serving_percent", "weather"}
        self.assertEqual(paths, wanted)
        self.assertTrue(all(fault.reason and fault.fix for fault in refused.exception.faults))

    def test_a_lost_replica_is_back_after_the_steps_that_its_way_to_survive_takes(self) -> None:
        data = FailureData(detect_s=40, evict_s=300, place_s=5, node_start_s=180)
        self.assertEqual(data.window_s(Survival.LANDING, 30), 40 + 300 + 5 + 30)
        self.assertEqual(data.window_s(Survival.GROWING, 30), 40 + 300 + 5 + 180 + 30)
        for how in (Survival.NONE, Survival.STANDING):
            self.assertEqual(data.window_s(how, 30), float("inf"))
