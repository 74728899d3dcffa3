"""Leaving out dominated types changes no floor, and keeps everything that an answer can need."""

import random
import unittest
from collections import Counter
from dataclasses import replace
from decimal import Decimal

from rombel.fit import check, fit, quick_floor, undominated
from rombel.fit.bounds.divisible import solve_divisible
from rombel.fit.bounds.linking import build_linking
from rombel.fit.problem.building import build_instance
from rombel.model.fit_problem import FitProblem, InstanceType, Limits, Offer, Purchase, Quota, Survival, Workload

ZONES = ("a", "b")


def sold(name: str, amounts: tuple[int, int], price: str, zones: str = "ab", quota: int | None = None) -> InstanceType:
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, Decimal(price), quota) for zone in zones)
    return InstanceType(name, amounts, offers)


def problem(*types: InstanceType, workloads: tuple[Workload, ...] = ()) -> FitProblem:
    return FitProblem("EUR", ZONES, ("x", "y"), (0, 0), types, workloads)


class TestDominance(unittest.TestCase):
    def names(self, *types: InstanceType, workloads: tuple[Workload, ...] = ()) -> list[str]:
        return [entry.name for entry in undominated(problem(*types, workloads=workloads)).instance_types]

    def test_only_what_is_worse_everywhere_is_left_out(self) -> None:
        good = sold("good", (4, 8), "1")
        self.assertEqual(self.names(good, sold("worse", (4, 7), "1")), ["good"])
        self.assertEqual(self.names(good, sold("equal", (4, 8), "1")), ["equal"])
        self.assertEqual(self.names(good, sold("cheaper", (4, 7), "0.9")), ["good", "cheaper"])
        self.assertEqual(self.names(sold("one", (4, 8), "1", "a"), sold("other", (4, 7), "1", "b")), ["one", "other"])
        self.assertEqual(
            self.names(sold("scarce", (4, 8), "1", quota=2), sold("worse", (4, 7), "1")), ["scarce", "worse"]
        )

    def test_a_type_that_a_workload_names_alone_stays(self) -> None:
        needs = Workload("n/w", 1, (1, 1), frozenset({"worse"}))
        self.assertEqual(
            self.names(sold("good", (4, 8), "1"), sold("worse", (4, 7), "1"), workloads=(needs,)), ["good", "worse"]
        )

    def test_a_type_outside_of_a_quota_stays_for_one_inside_cannot_always_take_its_place(self) -> None:
        good, worse = sold("good", (4, 8), "1"), sold("worse", (4, 7), "1")
        limits = Limits(quotas=(Quota("one good", 1, instance_types=frozenset({"good"})),))
        asked = replace(problem(good, worse, workloads=(Workload("n/w", 2, (4, 7)),)), limits=limits)
        self.assertEqual(len(undominated(asked).instance_types), 2)
        self.assertEqual(fit(asked).cost_per_hour, 2)
        # Counted by what nodes take, the one that takes less may stand in for the other, and never the other way round.
        for takes, left in (({"good": 2, "worse": 2}, 1), ({"good": 3, "worse": 2}, 2)):
            counted = replace(limits, quotas=(Quota("vCPUs", 4, takes=takes, counted="vCPU"),))
            answer = fit(replace(asked, limits=counted))
            self.assertEqual(len(undominated(replace(asked, limits=counted)).instance_types), left)
            self.assertLessEqual(sum(n.count * takes[n.instance_type] for n in answer.nodes), 4)
            self.assertTrue(answer.nodes)
        whole = replace(limits, quotas=(Quota("any two", 2),))
        self.assertEqual(len(undominated(replace(asked, limits=whole)).instance_types), 1)

    def test_the_floor_with_every_type_is_the_floor_without_the_dominated(self) -> None:
        for seed in range(8):
            rng = random.Random(seed)
            types = [
                sold(
                    f"t{n}",
                    (rng.randint(4, 16), rng.randint(4, 16)),
                    str(rng.randint(10, 60) / 10),
                    rng.choice(["a", "b", "ab"]),
                    rng.choice([None, None, 3]),
                )
                for n in range(12)
            ]
            whole = replace(
                problem(*types, sold("large", (16, 16), "7")),
                workloads=(Workload("n/v", 9, (2, 3)), Workload("n/w", 5, (3, 1), zone_skew=1)),
                survive_zone=rng.choice(list(Survival)),
                limits=Limits(most_pools=4),
            )
            before, after = (build_instance(entry) for entry in (whole, undominated(whole)))
            floors = [i.money_per_cost * solve_divisible(build_linking(i)).floor for i in (before, after)]
            self.assertLess(len(after.offers), len(before.offers))
            self.assertAlmostEqual(floors[1] / floors[0], 1.0, 9)
            self.assertGreaterEqual(fit(whole).cost_per_hour, quick_floor(whole).floor_per_hour)


class TestEqualZones(unittest.TestCase):
    def test_every_pool_has_as_many_nodes_in_each_zone_and_stays_inside_the_scarcest_quota(self) -> None:
        whole = replace(
            problem(sold("big", (8, 8), "3", quota=2), sold("small", (4, 4), "2"), sold("odd", (8, 8), "1", "a")),
            workloads=(Workload("n/w", 7, (4, 4)),),
            limits=Limits(equal_zones=True, fewest_nodes_per_zone=2),
        )
        solution = fit(whole)
        counts: Counter[tuple[str, str]] = Counter()
        for batch in solution.nodes:
            counts[batch.instance_type, batch.zone] += batch.count
        self.assertNotIn("odd", {name for name, _ in counts})
        for name in {name for name, _ in counts}:
            self.assertEqual(counts[name, "a"], counts[name, "b"])
            self.assertGreaterEqual(counts[name, "a"], 2)
        self.assertLessEqual(counts["big", "a"], 2)
        moved = [replace(batch, zone="b") if batch.zone == "a" else batch for batch in solution.nodes]
        self.assertTrue(check(whole, replace(solution, nodes=tuple(moved))).violations)
