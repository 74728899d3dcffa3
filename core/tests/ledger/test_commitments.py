"""Commitments: the critical fractile costs least, whatever is in use; what it is worth over its term agrees with a reference library."""

import random
import statistics
import unittest
from dataclasses import replace
from decimal import Decimal
from fractions import Fraction

import numpy as np
import numpy_financial as npf
from hypothesis import given
from hypothesis import strategies as st

from rombel.errors import InputRefused
from rombel.ledger import (
    InUse,
    Sample,
    SoldNode,
    best_levels,
    in_a_month,
    level_at,
    proposals,
    taken_together,
    worth_of,
)
from rombel.model.price_list import ListedTerm
from tests.usage.open_data import open_series

YEAR = ListedTerm("year", "instance type", 12, Decimal("0.6"))


def equally_long(amounts: list[float]) -> list[InUse]:
    """Return a use for each amount, all for equally long."""
    return [InUse(Fraction(amount), Fraction(1)) for amount in amounts]


class TestLevel(unittest.TestCase):
    def test_the_fractile_of_a_day_by_hand(self) -> None:
        """Brute force over twelve hours, ties said (common practice, no source); costs are of twelve hours and a price of one."""
        uses = equally_long([4, 4, 5, 6, 8, 10, 10, 8, 6, 5, 4, 4])
        expected = {
            "0.6": (5, 5, "54.0"),
            "0.5": (5, 6, "48.0"),
            "0.4": (6, 6, "40.8"),
            "0.3": (8, 8, "32.8"),
            "0.9": (4, 4, "69.2"),
        }
        for share, (low, high, cost) in expected.items():
            self.assertEqual(best_levels(uses, Fraction(share)), (low, high), share)
            for level in (low, high):
                month = level_at(Fraction(level), uses, Fraction(1), Fraction(share)).cost
                self.assertEqual(month * 12 / 730, Fraction(cost), share)

    @given(st.lists(st.tuples(st.integers(0, 12), st.integers(1, 40)), min_size=1, max_size=12), st.integers(1, 99))
    def test_no_level_is_cheaper_and_those_between_the_ends_cost_the_same(
        self, drawn: list[tuple[int, int]], percent: int
    ) -> None:
        uses, share = [InUse(Fraction(amount), Fraction(hours)) for amount, hours in drawn], Fraction(percent, 100)
        low, high = best_levels(uses, share)
        costs = {level: level_at(Fraction(level), uses, Fraction(3), share).cost for level in range(14)}
        self.assertEqual(
            {level for level, cost in costs.items() if cost == min(costs.values())}, set(range(int(low), int(high) + 1))
        )

    def test_the_fractile_of_known_distributions(self) -> None:
        """Normal with mean 100 and deviation 20, and uniform up to 100 (critical fractile, Arrow, Harris, Marschak 1951)."""
        normal = equally_long([statistics.NormalDist(100, 20).inv_cdf((n + 0.5) / 20_000) for n in range(20_000)])
        for share, level in (("0.6", 94.933058), ("0.4", 105.066942), ("0.25", 113.489795)):
            self.assertAlmostEqual(float(best_levels(normal, Fraction(share))[0]), level, delta=0.01)
        uniform = equally_long([n / 10 for n in range(1, 1001)])
        best = best_levels(uniform, Fraction("0.6"))[0]
        self.assertAlmostEqual(float(best), 40, delta=0.2)
        self.assertAlmostEqual(float(level_at(best, uniform, Fraction(1), Fraction("0.6")).cost) / 730, 42, delta=0.05)

    def test_the_fractile_of_an_open_series(self) -> None:
        """Half-hourly electricity demand, England and Wales, 2000 (data set taylor of the R package forecast): the inverse distribution function."""
        series = [float(value) for value in open_series("forecast", "taylor", "x")]
        uses = equally_long(series)
        for share, level, part in (
            ("0.4", 31804, 0.479230353),
            ("0.6", 27658, 0.679149014),
            ("0.8", 23517, 0.851896041),
        ):
            low, high = best_levels(uses, Fraction(share))
            self.assertEqual(float(low), level)
            self.assertEqual(float(low), float(np.quantile(series, 1 - float(share), method="inverted_cdf")))
            on_demand = level_at(Fraction(0), uses, Fraction(1), Fraction(share)).cost
            self.assertAlmostEqual(float(level_at(high, uses, Fraction(1), Fraction(share)).cost / on_demand), part, 9)

    def test_a_month_has_its_hours_and_none_is_refused(self) -> None:
        self.assertEqual(sum(use.hours for use in in_a_month(equally_long([1, 2, 2]))), 730)
        with self.assertRaises(InputRefused):
            in_a_month([InUse(Fraction(1), Fraction(0))])


class TestWorth(unittest.TestCase):
    def test_present_values_against_a_reference_library(self) -> None:
        """numpy-financial's pv, npv and irr at a rate a month; its documented examples first."""
        self.assertAlmostEqual(npf.npv(0.1, [0, 1000, 1000, 1000]), 2486.851990984, 8)
        self.assertAlmostEqual(-npf.pv(0.08 / 12, 12, 100), 1149.578180, 6)
        uses, rate = equally_long([2, 5, 5, 9]), Fraction("0.08")
        monthly = 1.08 ** (1 / 12) - 1
        for upfront in ("0", "0.5", "1"):
            for months in (12, 36):
                term = replace(YEAR, months=months, upfront_share=Decimal(upfront))
                found = worth_of(Fraction(5), uses, Fraction(2), term=term, yearly_rate=rate)
                saved, owed = 2 * (2 + 5 + 5 + 5) / 4 * 730, 0.6 * 2 * 5 * 730
                at_once = owed * months * float(upfront)
                value = -npf.pv(monthly, months, saved - owed * (1 - float(upfront))) - at_once
                self.assertAlmostEqual(float(found.net_present_value), value, 4)
                self.assertAlmostEqual(float(found.saves_per_month), saved - owed, 9)
                flows = [-(at_once - npf.pv(monthly, months, owed * (1 - float(upfront)))), *[saved] * months]
                month = found.break_even_month
                assert month is not None
                self.assertLess(npf.npv(monthly, flows[:month]), 0)
                self.assertGreaterEqual(npf.npv(monthly, flows[: month + 1]), 0)

    def test_a_node_that_always_runs_pays_from_its_share_of_the_time(self) -> None:
        """At 60 % of the price it has paid after 60 % of the term, and breaks even when it is used 60 % of the hours (arithmetic)."""
        always = worth_of(Fraction(1), equally_long([1]), Fraction(1), term=YEAR)
        self.assertEqual((always.saves_per_month, always.break_even_month), (Fraction("0.4") * 730, 8))
        for used, sign in ((59, -1), (60, 0), (61, 1)):
            uses = [InUse(Fraction(1), Fraction(used)), InUse(Fraction(0), Fraction(100 - used))]
            saves = worth_of(Fraction(1), uses, Fraction(1), term=YEAR).saves_per_month
            self.assertEqual((saves > 0) - (saves < 0), sign)
        self.assertEqual(always.after_fall_per_month, (Fraction("0.75") - Fraction("0.6")) * 730)


class TestProposals(unittest.TestCase):
    def test_what_is_held_is_used_first_and_what_cannot_matter_does_not(self) -> None:
        rng = random.Random(5)
        places = [("tern-4", "amber"), ("tern-4", "birch"), ("eider-8", "amber")]
        sold = {
            place: SoldNode(Decimal(price), place[0].split("-")[0])
            for place, price in zip(places, ("0.2", "0.2", "0.9"), strict=True)
        }
        terms = [
            YEAR,
            replace(YEAR, name="family", scope="family", families=("tern",)),
            replace(YEAR, name="any", scope="spend"),
        ]
        samples = [Sample(Fraction(1), {place: Fraction(rng.randint(0, 6)) for place in places}) for _ in range(40)]
        found = proposals(samples, sold, terms, held={})
        self.assertEqual({(p.term.scope, p.target, p.zones) for p in found}, {
            ("instance type", "tern-4", ("amber", "birch")), ("instance type", "eider-8", ("amber",)),
            ("family", "tern", ("amber", "birch")), ("spend", "any node", ("amber", "birch")),
        })  # fmt: skip
        for p in found:
            self.assertEqual(min(level.cost for level in p.levels), p.best.cost)
            self.assertEqual(p.worth.saves_per_month, p.on_demand - p.best.cost)
        shuffled = proposals(rng.sample(samples, len(samples)), sold, terms[::-1], held={})
        self.assertEqual(shuffled, found)
        doubled = {place: replace(own, price=own.price * 7) for place, own in sold.items()}
        for one, other in zip(found, proposals(samples, doubled, terms, held={}), strict=True):
            self.assertEqual((other.target, other.worth.saves_per_month), (one.target, 7 * one.worth.saves_per_month))
        together = taken_together(found)
        self.assertEqual(together["instance type"], sum(p.worth.saves_per_month for p in found if p.in_nodes))
        tern = next(p for p in found if p.target == "tern-4")
        held = proposals(samples, sold, terms, held={"tern-4": int(tern.best.amount)})
        # What costs least is held already: one more does not pay.
        self.assertEqual([p.best.amount for p in held if p.target == "tern-4"], [0])


if __name__ == "__main__":
    unittest.main()
