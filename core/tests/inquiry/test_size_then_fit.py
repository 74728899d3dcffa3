"""Sizes hold over the very answer they are given with; points of a frontier are read over theirs, and none is needless."""

from dataclasses import replace
from decimal import Decimal
from itertools import pairwise
from unittest import TestCase

from rombel.fit import check, fit
from rombel.inquiry import KnownFit, World, candidates_of, frontier_point, size_then_fit, undominated_points
from rombel.inquiry.size_then_fit import resized
from rombel.model.demand import Demand, WorkloadKind
from rombel.model.failure import FailureData, failure_of
from rombel.model.fit_problem import STRICTER, FitProblem, InstanceType, Offer, Purchase, Survival, Workload
from rombel.model.fit_solution import FitSolution
from rombel.model.journey import Dependency, Journey, Reach, read_chain
from rombel.model.pod import Amounts

ZONES = ("a", "b", "c")
ROWS = {"shop/web": (7, "5"), "shop/api": (4, "3"), "live/search": (5, "3"), "shop/orders": (3, "2")}


def study(survive: Survival) -> tuple[FitProblem, FitSolution, World]:
    """Return a fit in which a journey has a choice of two, a register that stands in one zone, and replicas that share nodes."""
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, Decimal(4 + index) / 10) for index, zone in enumerate(ZONES))
    types = (
        InstanceType("s", (4, 8), offers),
        InstanceType("l", (8, 16), tuple(replace(o, price_per_hour=o.price_per_hour * 2) for o in offers)),
    )
    rows = [
        Demand(*name.split("/"), WorkloadKind.REPLICATED, count, Amounts(1, 2), serving=serving, zone_skew=2)
        for name, (count, serving) in ROWS.items()
    ]
    workloads = tuple(Workload(row.full_name, row.replicas, (1, 2), zone_skew=2) for row in rows)
    problem = FitProblem("EUR", ZONES, ("x", "y"), (0, 0), types, workloads, survive)
    chain = read_chain("shop/web, any of (shop/api, live/search), shop/orders, register")
    register = Dependency("register", Reach.ZONAL, failure_of(0.00005, 3600), zone="b")
    world = World(rows, FailureData(), [register], [Journey("buy", Decimal("99.98"), chain)])
    return problem, fit(problem), world


def with_target(world: World, target: str) -> World:
    return replace(world, journeys=[replace(world.journeys[0], target=Decimal(target))])


class TestSizing(TestCase):
    def test_a_target_is_met_over_the_answer_itself_or_said_to_be_missed(self) -> None:
        """Loose to strict; what journeys are away is computed here once more over the answer that is handed out."""
        for survive in (Survival.NONE, Survival.LANDING):
            problem, present, world = study(survive)
            costs = []
            for target in ("99.9", "99.96", "99.97", "99.975", "99.9999"):
                asked = with_target(world, target)
                found = size_then_fit(problem, present, asked, candidates_of(problem, present, asked))
                if found.problem is not problem:  # Else the present fit is the answer.
                    self.assertEqual(found.problem, resized(problem, found.sizes, world.rows))
                self.assertTrue(check(found.problem, found.solution).holds)
                evaluation = asked.evaluation(found.problem, found.solution, found.sizes)
                journey = asked.journeys[0]
                unavailability = evaluation.unavailability_of(journey)[0]
                self.assertAlmostEqual(found.unavailability["buy"], unavailability, delta=1e-12)
                self.assertEqual(bool(found.missed), unavailability > journey.allowed * (1 + 1e-9))
                self.assertEqual(bool(found.missed), bool(found.unreachable))
                for unit in found.problem.workloads:
                    self.assertGreaterEqual(
                        STRICTER.index(found.problem.promise_of(unit)), STRICTER.index(survive), unit.name
                    )
                costs.append(found.solution.cost_per_hour)
            self.assertEqual(found.missed, ("buy",))
            self.assertLessEqual(costs[0], present.cost_per_hour)

    def test_no_sizes_are_dearer_than_a_known_answer_that_meets_the_targets_and_keeps_the_promises(self) -> None:
        problem, present, world = study(Survival.NONE)
        asked = with_target(world, "99.97")
        candidates = candidates_of(problem, present, asked)
        own = size_then_fit(problem, present, asked, candidates)
        cheap = replace(own.solution, cost_per_hour=own.solution.cost_per_hour)
        known = KnownFit(own.sizes, cheap)
        again = size_then_fit(problem, present, asked, candidates, known=[known])
        self.assertLessEqual(again.solution.cost_per_hour, own.solution.cost_per_hour)
        strict, stricter_present, stricter = study(Survival.STANDING)
        asked = with_target(stricter, "99.9")
        found = size_then_fit(
            strict, stricter_present, asked, candidates_of(strict, stricter_present, asked), known=[known]
        )
        self.assertNotEqual(found.solution.nodes, cheap.nodes)  # It survives the loss of a zone less strictly.


class TestFrontier(TestCase):
    def test_points_cost_more_where_less_is_away_and_are_read_over_their_own_fits(self) -> None:
        problem, present, world = study(Survival.LANDING)
        points = []
        for index in (0, 11, 4, 8):
            point = frontier_point(index, problem, present, world, known=points)
            assert point is not None and point.solution is not None
            self.assertEqual(point.index, index)
            sized = resized(problem, point.sizes, world.rows)
            self.assertTrue(check(sized, point.solution).holds)
            unavailability = world.evaluation(sized, point.solution, point.sizes).unavailability_of(world.journeys[0])[
                0
            ]
            self.assertAlmostEqual(point.unavailability["buy"], unavailability, delta=1e-12)
            points.append(point)
        kept = undominated_points(points)
        self.assertEqual(kept, undominated_points(reversed(points)))
        for before, after in pairwise(kept):
            self.assertLess(before.cost_per_hour, after.cost_per_hour)
            self.assertGreater(before.unavailability["buy"], after.unavailability["buy"])
        again = frontier_point(8, problem, present, world, known=points)
        assert again is not None
        self.assertEqual((again.cost_per_hour, again.sizes), (points[-1].cost_per_hour, points[-1].sizes))
