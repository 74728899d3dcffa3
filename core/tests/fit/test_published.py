"""The fit on published packing instances and worked examples whose optimum is known."""

import random
import unittest
from decimal import Decimal

from rombel.fit import fit
from rombel.fit.problem.counts import standing_total
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitStatus
from tests.problems import QUICK, items, problem


def bins(capacity: int, counts: dict[int, int]) -> FitProblem:
    return problem([("bin", (capacity,), "1")], items({(size,): count for size, count in counts.items()}))


class TestOneDimension(unittest.TestCase):
    def proved(self, data: FitProblem, cost: str) -> None:
        solution = fit(data, params=QUICK)
        self.assertEqual((solution.status, solution.cost_per_hour), (FitStatus.OPTIMAL, Decimal(cost)))

    def test_martello_and_toth_example(self) -> None:
        # Martello and Toth 1990, Knapsack Problems, ch. 8 (from memory): L1 = 3, optimum 4. The floor need not reach it.
        solution = fit(bins(100, {70: 1, 60: 1, 50: 1, 33: 3, 11: 1, 7: 1, 3: 1}), params=QUICK)
        self.assertEqual(solution.cost_per_hour, 4)
        self.assertGreaterEqual(solution.floor_per_hour, 3)

    def test_cutting_stock_of_thirteen_widths(self) -> None:
        # Widely reprinted example after Gilmore and Gomory 1961: LP 72.9167, integer 73; first fit decreasing needs 82.
        widths = (1380, 1520, 1560, 1710, 1820, 1880, 1930, 2000, 2050, 2100, 2140, 2150, 2200)
        demand = (22, 25, 12, 14, 18, 18, 20, 10, 12, 14, 16, 18, 20)
        self.proved(bins(5600, dict(zip(widths, demand, strict=True))), "73")

    def test_johnson_family_where_first_fit_decreasing_needs_eleven_ninths(self) -> None:
        # Johnson, Demers, Ullman, Garey, Graham 1974, k = 1: optimum 9, first fit decreasing 11.
        self.proved(bins(400, {201: 6, 102: 6, 101: 6, 98: 12}), "9")

    def test_dosa_family(self) -> None:
        # Dosa 2007: optimum 15, first fit decreasing 19.
        self.proved(bins(400, {201: 10, 101: 10, 102: 10, 98: 20}), "15")

    def test_the_floor_never_passes_a_known_optimum_on_triplets(self) -> None:
        # Falkenauer 1996, triplets: the optimum is the sum over the capacity by construction.
        rng, sizes = random.Random(1), []
        while len(sizes) < 60:
            a = rng.randint(380, 490)
            b = rng.randint(251, (1000 - a) // 2)
            if 250 < 1000 - a - b < 500:
                sizes += [a, b, 1000 - a - b]
        solution = fit(bins(1000, {size: sizes.count(size) for size in sizes}), params=QUICK)
        self.assertEqual(solution.floor_per_hour, 20)
        self.assertLessEqual(solution.cost_per_hour, 22)


class TestMoreDimensions(unittest.TestCase):
    def test_two_dimensions(self) -> None:
        # Two dimensional vector packing after Spieksma 1994 and Caprara and Toth 2001; optima by hand and enumeration.
        cases = (
            ({(70, 20): 1, (20, 70): 1, (55, 50): 1, (40, 45): 1, (50, 10): 1, (10, 50): 1}, 3),
            ({(60, 10): 2, (10, 60): 2, (30, 30): 2}, 2),
            ({(51, 49): 4}, 4),
        )
        for counts, best in cases:
            with self.subTest(counts):
                data = problem([("bin", (100, 100), "1")], items(counts, ("x", "y")), resources=("x", "y"))
                self.assertEqual(fit(data, params=QUICK).cost_per_hour, best)

    def test_variable_sizes_and_prices(self) -> None:
        # After Friesen and Langston 1986: seven items of 30; one large and two middle bins cost 232.
        types = [("large", (100,), "100"), ("middle", (60,), "66"), ("small", (35,), "38")]
        self.assertEqual(fit(problem(types, items({(30,): 7})), params=QUICK).cost_per_hour, 232)

    def test_machine_shapes(self) -> None:
        # Recomputed with CP-SAT: one large and one small node.
        types = [("m", (3900, 14000), "100"), ("s", (1900, 7000), "55"), ("l", (7900, 29000), "190")]
        data = problem(types, items({(500, 1024): 7, (1500, 2048): 3}, ("x", "y")), resources=("x", "y"))
        self.assertEqual(fit(data, params=QUICK).cost_per_hour, 245)

    def test_spread_over_zones_costs_more_than_pooled_packing(self) -> None:
        # By hand: 2/1/1 over three zones needs three nodes, pooled two.
        data = {"name": "w/0", "replicas": 4, "request": {"x": 1500, "y": 2048}}
        for skew, cost in ((1, 285), (None, 190)):
            spread = problem(
                [("m", (3920, 14336), "95")], [{**data, "zone_skew": skew}], ("a", "b", "c"), resources=("x", "y")
            )
            self.assertEqual(fit(spread, params=QUICK).cost_per_hour, cost)


class TestZoneLoss(unittest.TestCase):
    def test_replicas_needed_to_stand_through_the_loss_of_a_zone(self) -> None:
        # Arithmetic of static stability: equal counts zones * ceil(n / (zones - 1)), else least T - ceil(T / zones) >= n.
        for replicas, zones, equal, free in ((10, 3, 15, 15), (10, 2, 20, 20), (7, 4, 12, 10), (9, 3, 15, 14)):
            self.assertEqual(standing_total(replicas, zones, True), equal)
            self.assertEqual(standing_total(replicas, zones, False), free)

    def test_equal_zones_places_equal_counts(self) -> None:
        workload = {"name": "w/0", "replicas": 10, "request": {"x": 1}, "equal_zones": True}
        data = problem([("m", (5,), "1")], [workload], ("a", "b", "c"), "standing")
        solution = fit(data, params=QUICK)
        self.assertEqual((solution.status, solution.cost_per_hour), (FitStatus.OPTIMAL, 3))
