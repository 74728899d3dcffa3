"""The ledger: the bill is the cost that was minimised, every way of sharing it sums to it, and what is not used is told as what it is for."""

import random
import unittest
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from fractions import Fraction
from functools import cache

from rombel.errors import InputRefused
from rombel.fit import SearchParams, check
from rombel.formats import read_problem, write_problem
from rombel.ledger import (
    DAEMONS,
    HEADROOM_ROOM,
    IDLE,
    KEPT,
    SHARED,
    STANDING,
    UNASSIGNED,
    Billed,
    Charge,
    at_list,
    bill_of,
    bridge,
    hours_of_month,
    hours_until,
    rounded,
    shared_out,
    spread,
)
from rombel.model.beside import BesideCost, Per, on_node, root_disk, with_beside
from rombel.model.fit_problem import FitProblem, InstanceType, Limits, Offer, Purchase, Survival, Workload
from rombel.model.fit_solution import FitSolution, Landing, NodeBatch
from rombel.plan import FitParams, cheapest_fit

ZONES = ("amber", "birch", "cedar")
LICENCE = BesideCost("licence", "vCPU-hour", Decimal("0.011"), Per.VCPU)


def random_problem(seed: int, survive: Survival) -> FitProblem:
    """Return a small problem whose nodes cost something beside their price."""
    rng = random.Random(seed)
    costs = (LICENCE, root_disk("plain", rng.randint(20, 80), Decimal("0.08")))
    types = tuple(
        InstanceType(
            f"t{vcpu}", (1000 * vcpu, 4096 * vcpu),
            tuple(with_beside(Offer(zone, Purchase.ON_DEMAND, Decimal(rng.randint(40, 60) * vcpu) / 1000), costs, vcpu) for zone in ZONES),
        )
        for vcpu in (2, 4, 8)
    )  # fmt: skip
    workloads = tuple(
        Workload(f"n/w{i}", rng.randint(1, 6), (rng.randint(100, 1900), rng.randint(200, 9000))) for i in range(4)
    )
    return FitProblem("EUR", ZONES, ("cpu", "memory"), (0, 0), types, workloads, survive)


@cache
def cases() -> list[tuple[FitProblem, FitSolution]]:
    """Return problems with their fits, under every way to survive that leaves room or replicas."""
    little = FitParams(search=SearchParams(work=200_000), chunks=2)
    problems = [
        random_problem(seed, way) for seed in range(4) for way in (Survival.NONE, Survival.LANDING, Survival.STANDING)
    ]
    return [(problem, cheapest_fit(problem, params=little)) for problem in problems]


class TestBill(unittest.TestCase):
    def test_the_bill_of_an_hour_is_the_cost_that_was_minimised_and_checked(self) -> None:
        for problem, solution in cases():
            self.assertTrue(check(problem, solution).holds)
            bill = bill_of(problem, solution, hours=Fraction(1))
            self.assertEqual(bill.total, Fraction(solution.cost_per_hour))
            self.assertEqual({charge.kind for charge in bill.charges}, {"node", "licence", "root disk (plain)"})
            vcpu = sum(batch.count * int(batch.instance_type[1:]) for batch in solution.nodes)
            licences = sum((charge.amount for charge in bill.charges if charge.kind == "licence"), Fraction(0))
            self.assertEqual(licences, vcpu * Fraction("0.011"))
            self.assertEqual(bill_of(problem, solution).total, 730 * bill.total)
            again = read_problem(write_problem(problem))
            self.assertEqual(bill_of(again, solution).charges, bill_of(problem, solution).charges)

    def test_what_nodes_cost_beside_their_price_decides_which_are_chosen(self) -> None:
        # Two small nodes are cheaper than a large one until each brings a disk: by hand 2 x 0.10 < 0.22, and 2 x 0.13 > 0.25.
        def chosen(gib: int) -> list[tuple[str, int]]:
            disk = (root_disk("plain", gib, Decimal("0.73")),) if gib else ()
            types = (
                InstanceType("small", (4,), (with_beside(Offer("z", Purchase.ON_DEMAND, Decimal("0.10")), disk, 2),)),
                InstanceType("large", (8,), (with_beside(Offer("z", Purchase.ON_DEMAND, Decimal("0.22")), disk, 4),)),
            )
            problem = FitProblem("EUR", ("z",), ("x",), (0,), types, (Workload("n/w", 8, (1,)),))
            return [(batch.instance_type, batch.count) for batch in cheapest_fit(problem).nodes]

        self.assertEqual(chosen(0), [("small", 2)])
        self.assertEqual(chosen(30), [("large", 1)])

    def test_periods_have_the_hours_of_the_calendar(self) -> None:
        # Facts of the calendar: 2028 is a leap year, 2100 is none.
        self.assertEqual(
            [hours_of_month(y, m) for y, m in ((2028, 2), (2100, 2), (2026, 12), (2026, 11))], [696, 672, 744, 720]
        )
        start = datetime(2026, 11, 30, 12, tzinfo=UTC)
        self.assertEqual(hours_until(start, start + timedelta(days=4, minutes=30)), Fraction(193, 2))
        for end in (start, start - timedelta(seconds=1)):
            with self.assertRaisesRegex(InputRefused, "is not after"):
                hours_until(start, end)

    def test_a_price_that_is_less_than_what_stands_beside_it_is_refused_with_its_place(self) -> None:
        text = write_problem(random_problem(0, Survival.NONE)).replace('"licence": "0.022"', '"licence": "9"')
        with self.assertRaises(InputRefused) as refused:
            read_problem(text)
        self.assertEqual(
            {fault.path for fault in refused.exception.faults},
            {f"instance_types[0].offers[{n}].beside" for n in range(3)},
        )


class TestSharing(unittest.TestCase):
    def test_every_way_of_sharing_sums_to_the_bill_to_the_last_cent(self) -> None:
        for problem, solution in cases():
            fee = Charge("gateway", "", "", "amber", 1, "hour", Decimal("0.045"), Fraction(730))
            volume = Charge(
                "volume", "n/w0", "", "amber", 20, "GiB", Decimal("0.1"), Fraction(1), payers=(("n/w0", 1),)
            )
            bill = bill_of(problem, solution, others=(fee, volume))
            shares = shared_out(bill, problem, solution)
            self.assertEqual(shares["n/w0"] - shared_out(bill_of(problem, solution), problem, solution)["n/w0"], 2)
            self.assertEqual(sum(shares.values()), bill.total)
            self.assertEqual(shares[SHARED], Fraction("0.045") * 730)
            self.assertTrue(all(amount > 0 for amount in shares.values()))
            self.assertEqual(sum(spread(shares).values()), bill.total)
            self.assertFalse(set(spread(shares)) & UNASSIGNED)
            for told in (shares, spread(shares)):
                cents = rounded(told)
                self.assertEqual(sum(cents.values()), Decimal(round(bill.total * 100)) / 100)
                self.assertTrue(
                    all(abs(Fraction(cents[payer]) - amount) < Fraction(1, 100) for payer, amount in told.items())
                )
            # Room for what lands is there where zones are survived by landing, replicas too many where they stand.
            self.assertEqual(KEPT in shares, problem.survive_zone is Survival.LANDING)
            if problem.survive_zone is not Survival.STANDING:
                self.assertNotIn(STANDING, shares)

    def test_shares_by_hand(self) -> None:
        types = (
            InstanceType(
                "t", (10, 10), (Offer("a", Purchase.ON_DEMAND, Decimal(1)), Offer("b", Purchase.ON_DEMAND, Decimal(1)))
            ),
        )
        workloads = (Workload("n/cpu", 4, (2, 1)), Workload("n/mem", 1, (1, 3)), Workload("headroom", 2, (1, 1)))
        problem = FitProblem("EUR", ("a", "b"), ("x", "y"), (0, 0), types, workloads, Survival.LANDING, Limits())
        nodes = (
            NodeBatch("t", Purchase.ON_DEMAND, "a", 1, {"n/cpu": 3, "n/mem": 1}),
            NodeBatch("t", Purchase.ON_DEMAND, "b", 1, {"n/cpu": 1, "headroom": 2}),
        )
        landing = {"a": (Landing(1, {"n/cpu": 2}),), "b": (Landing(0, {"n/cpu": 1}),)}
        solution = replace(cheapest_fit(problem), nodes=nodes, landing=landing, cost_per_hour=Decimal(2))
        shares = shared_out(bill_of(problem, solution, hours=Fraction(1)), problem, solution)
        # Node a: 6/10 of CPU and 3/10 of memory, 1/10 left, all of it kept; node b: 2/10, 2/10 headroom, 4/10 kept, 2/10 idle.
        expected = {
            "n/cpu": Fraction(8, 10),
            "n/mem": Fraction(3, 10),
            HEADROOM_ROOM: Fraction(2, 10),
            KEPT: Fraction(5, 10),
            IDLE: Fraction(2, 10),
        }
        self.assertEqual(shares, expected)
        # Daemons that take half of a node twice as large pay half of it, and the others share the rest as before.
        larger = tuple(replace(entry, allocatable=(20, 20)) for entry in types)
        with_daemons = replace(problem, daemon=(10, 10), instance_types=larger)
        again = shared_out(bill_of(with_daemons, solution, hours=Fraction(1)), with_daemons, solution)
        self.assertEqual(again, {payer: share / 2 for payer, share in expected.items()} | {DAEMONS: Fraction(1)})
        # By weight: node a holds (6 + 3) of 20 and its room of 20; a unit of either weighs alike.
        weighed = shared_out(
            bill_of(problem, solution, hours=Fraction(1)), problem, solution, {"x": Fraction(1), "y": Fraction(1)}
        )
        self.assertEqual((weighed["n/mem"], weighed["n/cpu"]), (Fraction(4, 20), Fraction(9 + 3, 20)))
        self.assertEqual(sum(weighed.values()), 2)

    def test_shares_do_not_depend_on_currency_or_order(self) -> None:
        for problem, solution in cases():
            shares = shared_out(bill_of(problem, solution), problem, solution)
            dear = tuple(
                replace(
                    t,
                    offers=tuple(
                        replace(o, price_per_hour=7 * o.price_per_hour, beside=tuple((n, 7 * p) for n, p in o.beside))
                        for o in t.offers
                    ),
                )
                for t in problem.instance_types
            )
            turned = replace(problem, instance_types=dear[::-1], workloads=problem.workloads[::-1])
            again = shared_out(bill_of(turned, solution), turned, solution)
            self.assertEqual({payer: 7 * amount for payer, amount in shares.items()}, again)

    def test_halves_are_rounded_to_even_and_the_rest_goes_to_the_largest_remainders(self) -> None:
        third = Fraction(1, 3)
        self.assertEqual(
            rounded({"a": third, "b": third, "c": third}),
            {"a": Decimal("0.34"), "b": Decimal("0.33"), "c": Decimal("0.33")},
        )
        # Half to even, IEEE 754-2019 section 4.3.1: 0.125 is 0.12 and 0.375 is 0.38.
        self.assertEqual([rounded({"a": Fraction(n, 8)})["a"] for n in (1, 3)], [Decimal("0.12"), Decimal("0.38")])
        halves = {"0.135": "0.14", "1.005": "1.00", "2.675": "2.68"}
        for text, cents in halves.items():
            self.assertEqual(rounded({"a": Fraction(text)})["a"], Decimal(cents))
        # Rounded once and at the end, by hand: a thousand nodes for 730 hours; 9010.00 where each were rounded first.
        fleet = Charge("node", "t", "on-demand", "z", 1000, "hour", Decimal("0.0123456"), Fraction(730))
        self.assertEqual(rounded({"a": fleet.amount})["a"], Decimal("9012.29"))
        # Largest remainder (Hamilton) by the seats example of 100 000 votes on 10 seats: 5, 2, 1, 1, 1, 0 (Hare quota, from memory).
        votes = {"yellow": 47_000, "white": 16_000, "red": 15_800, "green": 12_000, "blue": 6_100, "pink": 3_100}
        seats = rounded({name: Fraction(count, 10_000) for name, count in votes.items()}, 0)
        self.assertEqual(list(seats.values()), [5, 2, 1, 1, 1, 0])


class TestBeside(unittest.TestCase):
    def test_a_node_brings_what_is_counted_by_node_and_by_vcpu_alone(self) -> None:
        costs = (
            LICENCE,
            BesideCost("address", "hour", Decimal("0.005"), Per.NODE),
            BesideCost("gateway", "hour", Decimal("0.045"), Per.ZONE),
        )
        self.assertEqual(on_node(costs, 8), (("licence", Decimal("0.088")), ("address", Decimal("0.005"))))
        self.assertEqual(root_disk("plain", 50, Decimal("0.08")).price, Decimal("0.000109589"))


class TestBridge(unittest.TestCase):
    def billed(self, problem: FitProblem, solution: FitSolution) -> Billed:
        return Billed(bill_of(problem, solution), problem, solution)

    def test_the_parts_of_any_two_bills_sum_to_the_difference_and_nothing_is_told_of_the_same_bill_twice(self) -> None:
        plans = [self.billed(*case) for case in cases()]
        for before in plans:
            for after in plans:
                found = bridge(before, after)
                parts = found.price + found.demand + found.promises + found.choices
                self.assertEqual(parts, after.bill.total - before.bill.total)
                self.assertEqual(sum(b - a for _, a, b in found.lines), after.bill.total - before.bill.total)
                if before is after:
                    self.assertEqual((found.price, found.demand, found.promises, found.choices), (0, 0, 0, 0))

    def test_what_alone_changed_is_told_as_that_alone(self) -> None:
        for problem, solution in cases():
            before = self.billed(problem, solution)
            dearer = tuple(
                replace(e, offers=tuple(replace(o, price_per_hour=2 * o.price_per_hour, beside=tuple((n, 2 * p) for n, p in o.beside)) for o in e.offers))
                for e in problem.instance_types
            )  # fmt: skip
            found = bridge(before, self.billed(replace(problem, instance_types=dearer), solution))
            self.assertEqual((found.price, found.demand, found.promises, found.choices), (before.bill.total, 0, 0, 0))
            # The same plan at a list that asks twice as much is the same bridge; what it does not sell keeps its price, and is told.
            there, unsold = at_list(before, dearer, {}, ())
            self.assertEqual((bridge(before, there), unsold), (found, []))
            none, unsold = at_list(before, (), {}, ())
            self.assertEqual(none.bill.total, before.bill.total)
            self.assertEqual(set(unsold), {batch.instance_type for batch in solution.nodes})
        # The same workload twice on twice as many nodes of one kind, each full: all of it is demand.
        types = (InstanceType("t", (4,), (Offer("z", Purchase.ON_DEMAND, Decimal(1)),)),)
        one, two = (FitProblem("EUR", ("z",), ("x",), (0,), types, (Workload("n/w", n, (2,)),)) for n in (2, 4))
        found = bridge(*(self.billed(each, cheapest_fit(each)) for each in (one, two)))
        self.assertEqual((found.price, found.demand, found.promises, found.choices), (0, 730, 0, 0))
        # Room for a lost zone that was not promised before is the promise's, and what then stays idle is not.
        for seed in range(4):
            plain, _, standing = (self.billed(*case) for case in cases()[3 * seed : 3 * seed + 3])
            found = bridge(plain, standing)
            self.assertEqual((found.price, found.demand), (0, 0))
            self.assertGreater(found.promises, 0)
