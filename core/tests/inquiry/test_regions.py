"""Ways to work over several regions: each costs what the fits that it needs cost, and buys what they make of a journey."""

from dataclasses import replace
from decimal import Decimal
from unittest import TestCase

from rombel.availability.regions import RegionTimes, Together, across
from rombel.fit import fit
from rombel.inquiry import RegionInput, World, region_plans
from rombel.inquiry.regions import shared
from rombel.model.demand import Demand, WorkloadKind
from rombel.model.failure import FailureData
from rombel.model.journey import Journey, read_chain
from rombel.model.pod import Amounts
from tests.problems import QUICK, problem

ROWS = [Demand("n", name, WorkloadKind.REPLICATED, 6, Amounts(1, 1)) for name in ("v", "w")]
WORLD = World(ROWS, FailureData(), (), [Journey("buy", Decimal("99.9"), read_chain("n/v, n/w"))])
WORKLOADS = [
    {"name": "n/v", "replicas": 6, "request": {"x": 2}},
    {"name": "n/w", "replicas": 6, "request": {"x": 3}},
]
HOME = problem([("t", (10,), "1")], WORKLOADS, ("a", "b"))
AWAY = problem([("u", (8,), "1.5")], WORKLOADS, ("c",))
SMALL = problem([("u", (2,), "1")], WORKLOADS, ("d",))


class TestRegions(TestCase):
    def test_each_way_costs_the_sum_of_the_fits_that_it_really_needs(self) -> None:
        plans = region_plans([RegionInput("home", HOME), RegionInput("far", AWAY)], WORLD, RegionTimes(), params=QUICK)
        one, standby, both = plans
        home, far = (fit(entry, params=QUICK).cost_per_hour for entry in (HOME, AWAY))
        self.assertEqual([entry.together for entry in plans], [Together.ONE, Together.STANDBY, Together.ALL])
        self.assertEqual((one.cost_per_hour, standby.cost_per_hour), (home, home + far))
        # Of two that serve, each bears everything once the other is gone.
        self.assertEqual((both.bears, both.cost_per_hour), ((1.0, 1.0), home + far))

    def test_a_second_region_never_makes_a_journey_worse_but_for_the_entry_before_both(self) -> None:
        plans = region_plans([RegionInput("home", HOME), RegionInput("far", AWAY)], WORLD, RegionTimes(), params=QUICK)
        alone, standby, both = (entry.across["buy"].unavailability for entry in plans)
        self.assertLess(standby, alone)
        self.assertLess(both - RegionTimes().entry_away, alone)
        self.assertGreater(plans[1].across["buy"].switches_per_year, 0)

    def test_what_a_way_buys_is_what_the_evaluations_of_its_fits_say(self) -> None:
        solution = fit(HOME, params=QUICK)
        (found,) = region_plans([RegionInput("home", HOME, solution)], WORLD, RegionTimes(), params=QUICK)
        evaluation = WORLD.evaluation(HOME, solution)
        wanted = across([evaluation], WORLD.journeys[0], Together.ONE, RegionTimes())
        self.assertEqual((found.cost_per_hour, found.across["buy"]), (solution.cost_per_hour, wanted))

    def test_a_region_without_a_fit_makes_its_ways_impossible_and_says_why(self) -> None:
        told: list[str] = []
        plans = region_plans(
            [RegionInput("home", HOME), RegionInput("tiny", SMALL)],
            WORLD,
            RegionTimes(),
            params=QUICK,
            on_plan=lambda entry: told.append(entry.together),
        )
        self.assertIsNotNone(plans[0].cost_per_hour)
        for entry in plans[1:]:
            self.assertIsNone(entry.cost_per_hour)
            self.assertTrue(all(reason.startswith("tiny: ") for reason in entry.reasons))
        self.assertEqual(told, [entry.together for entry in plans])

    def test_a_part_of_the_whole_is_rounded_up_workload_by_workload(self) -> None:
        """Three regions of which any one may vanish bear a half each (common practice, no source)."""
        for bears in RegionTimes().bears(3):
            self.assertAlmostEqual(bears, 0.5)
        for part, wanted in ((0.5, 3), (0.51, 4), (1.0, 6), (0.01, 1)):
            self.assertEqual({w.replicas for w in shared(HOME, part).workloads}, {wanted})

    def test_unequal_shares_still_let_any_one_vanish(self) -> None:
        times = replace(RegionTimes(), first_share=0.7)
        for count in (2, 3, 4):
            shares, bears = times.shares(count), times.bears(count)
            self.assertAlmostEqual(sum(shares), 1.0)
            for lost in range(count):
                left = [own / (1 - shares[lost]) for number, own in enumerate(shares) if number != lost]
                able = [own for number, own in enumerate(bears) if number != lost]
                self.assertTrue(all(need <= have + 1e-12 for need, have in zip(left, able, strict=True)))
