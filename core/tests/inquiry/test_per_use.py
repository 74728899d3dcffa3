"""Per use against nodes: the point where both cost the same, and a mixture that no plan beats."""

import random
import unittest
from dataclasses import replace
from decimal import Decimal
from fractions import Fraction

from rombel.fit import SearchParams, check, fit
from rombel.inquiry import Use, per_use_plan, with_per_use
from rombel.model.fit_problem import FitProblem, InstanceType, Limits, Offer, Purchase, Workload
from rombel.model.price_list import ListedPerUse
from rombel.plan import FitParams

GIB = 2**30
TIDE = ListedPerUse(
    "tide", Decimal("0.00001"), Decimal("0.000001"), ((500, GIB), (1000, 2 * GIB), (1000, 4 * GIB)), "x86", 60
)
ALIKE = {"tide": frozenset({"t", "u"})}
LITTLE = FitParams(search=SearchParams(work=200_000), chunks=2)


def two_workloads() -> FitProblem:
    """Return nodes of four vCPU at 0.16 an hour; one workload fills one, the other takes a vCPU of its own."""
    types = (InstanceType("t", (4000, 16 * GIB, 10), (Offer("z", Purchase.ON_DEMAND, Decimal("0.16")),)),)
    workloads = (Workload("n/full", 4, (1000, 4 * GIB, 1)), Workload("n/odd", 1, (900, GIB, 1)))
    return FitProblem("EUR", ("z",), ("cpu_millicores", "memory_bytes", "pods"), (0, 0, 0), types, workloads)


class TestPerUse(unittest.TestCase):
    def test_sizes_and_prices_by_hand(self) -> None:
        """The cheapest size that holds a request; a vCPU and two GiB for an hour are 0.036 and 0.0072 (arithmetic)."""
        self.assertEqual(TIDE.cheapest_for(900, GIB), (1000, 2 * GIB))
        self.assertEqual(TIDE.price_per_hour((1000, 2 * GIB)), Decimal("0.0432"))
        self.assertIsNone(TIDE.cheapest_for(1001, GIB))

    def test_the_odd_replica_goes_per_use_and_the_full_node_stays(self) -> None:
        """By hand: five replicas need two nodes, 0.32; the odd one per use costs 0.0432, so the cheapest is 0.2032 an hour."""
        problem = two_workloads()
        solution = fit(problem)
        self.assertEqual(solution.cost_per_hour, Decimal("0.32"))
        found = per_use_plan(problem, solution, [TIDE], uses={}, alike=ALIKE)
        self.assertEqual(
            (found.before, found.after, found.floor_after), (Decimal("233.60"), Decimal("148.34"), Decimal("148.34"))
        )
        self.assertEqual({choice.workload: choice.moved for choice in found.choices}, {"n/full": 0, "n/odd": 1})
        self.assertEqual(sum(choice.on_nodes for choice in found.choices), found.before)
        for choice in found.choices:
            full = Fraction(choice.price_per_hour) * (4 if choice.workload == "n/full" else 1) * 730
            self.assertAlmostEqual(choice.even_at * float(full), float(choice.on_nodes), 1)

    def test_a_replica_that_runs_for_fewer_hours_costs_less_per_use_and_a_mixture_is_never_dearer(self) -> None:
        problem = two_workloads()
        solution = fit(problem)
        costs = []
        for share in (Fraction(1), Fraction(1, 2), Fraction(1, 10)):
            runs = Use(((share, 4), (1 - share, 0)))
            found = per_use_plan(
                problem, solution, [TIDE], uses={"n/full": runs, "n/odd": runs}, alike=ALIKE, params=LITTLE
            )
            assert found.after is not None
            costs.append(found.after)
            mixed = with_per_use(problem, found.choices)
            self.assertTrue(check(mixed, solution).holds)
        self.assertEqual(costs, sorted(costs, reverse=True))
        dear = replace(TIDE, vcpu_second=Decimal("0.01"))
        self.assertEqual(per_use_plan(problem, solution, [dear], uses={}, alike=ALIKE).after, Decimal("233.60"))

    def test_short_runs_are_billed_for_the_least_time_once_a_day(self) -> None:
        rng = random.Random(3)
        for _ in range(200):
            parts = [rng.randint(0, 5) for _ in range(3)]
            parts[0] += 1
            levels = tuple((Fraction(part, sum(parts)), rng.randint(0, 6)) for part in parts)
            replicas, least = rng.randint(1, 6), rng.choice((0, 60, 7200, 90_000))
            use = Use(levels)
            by_replica = []
            for number in range(1, replicas + 1):
                runs = sum((hours for hours, asked in levels if asked >= number), Fraction(0))
                short = 0 < runs < 1
                by_replica.append(min(Fraction(1), max(runs, Fraction(least, 86_400))) if short else runs)
            self.assertEqual(use.share(replicas, least), sum(by_replica) / replicas)
            self.assertLessEqual(use.share(replicas), use.share(replicas, least))
        # By hand: a job of ten minutes a day that is billed for an hour at least is billed for a 24th of the hours.
        job = Use(((Fraction(1, 144), 1), (Fraction(143, 144), 0)))
        self.assertEqual((job.share(1), job.share(1, 3600)), (Fraction(1, 144), Fraction(1, 24)))

    def test_what_serves_while_replicas_are_replaced_and_what_it_costs_to_miss_none(self) -> None:
        """By hand: of four replicas two may be gone, so half serves; to miss none, each runs twice for the least time."""
        problem = two_workloads()
        dear = replace(TIDE, vcpu_second=Decimal("0.01"), least_s=60)
        uses = {"n/full": Use(may_be_gone=2, start_up_s=20), "n/odd": Use(may_be_gone=0, start_up_s=3600)}
        found = per_use_plan(problem, fit(problem), [dear], uses=uses, alike=ALIKE, params=LITTLE)
        full, odd = found.choices
        self.assertEqual((full.healthy, odd.healthy), (0.5, 1.0))
        price = dear.price_per_hour((1000, 4 * GIB))
        self.assertEqual(full.replaced_whole, (4 * price * 60 / 3600).quantize(Decimal("0.01")))
        self.assertEqual(odd.replaced_whole, odd.price_per_hour.quantize(Decimal("0.01")))

    def test_what_may_not_run_per_use_is_said_with_its_reason(self) -> None:
        problem = two_workloads()
        large = Workload("n/large", 1, (2000, GIB, 1))
        bound = Workload("n/bound", 1, (100, GIB, 1), instance_types=frozenset({"t"}))
        wider = replace(problem, workloads=(*problem.workloads, large, bound), limits=Limits(most_pools=2))
        found = per_use_plan(wider, fit(wider), [TIDE], uses={}, alike=ALIKE)
        self.assertEqual(set(found.left_out), {"n/large", "n/bound"})
        self.assertIsNone(found.after)
        self.assertIn("pools", found.reason)


if __name__ == "__main__":
    unittest.main()
