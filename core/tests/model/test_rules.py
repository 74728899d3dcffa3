"""House rules, money and reservations: the laws a planner relies on."""

import unittest
from datetime import date
from decimal import Decimal

from hypothesis import given
from hypothesis import strategies as st

from rombel.errors import InputRefused
from rombel.model.fit_problem import Purchase
from rombel.model.house_rules import RULES, Choices, HouseRules, deviations, unlabelled
from rombel.model.money import Rates
from rombel.model.node import ReservationRule, Slice, stepped, waterfall
from rombel.model.pod import Amounts

GIB = 2**30


class TestWaterfall(unittest.TestCase):
    def test_steps_take_exactly_what_lies_between_capacity_and_usable(self) -> None:
        rule = ReservationRule(
            Amounts(100, GIB), Amounts(), 100, 250, (Slice(1000, 600), Slice(None, 25)), (), Amounts(2, 2**20)
        )
        fall = waterfall(Amounts(8000, 32 * GIB), 110, rule, [("ops/agent", Amounts(50, 2**20))])
        cpu = 8000 - 100 - (60 + 18) - 220
        memory = 32 * GIB - GIB - 110 * 2**20 - 100 - -(-32 * GIB * 250 // 10_000)
        self.assertEqual(fall.allocatable, (cpu, memory, 110))
        self.assertEqual(fall.usable, (cpu - 50, memory - 2**20, 109))

    def test_steps_of_a_share_take_each_slice_at_its_own_rate(self) -> None:
        # Worked by hand: 25 % of the first 4, 20 % of the next 4, 10 % of the next 8, in GiB of 16.
        slices = (Slice(4 * GIB, 2500), Slice(4 * GIB, 2000), Slice(8 * GIB, 1000), Slice(None, 200))
        self.assertEqual(stepped(16 * GIB, slices), -(-26 * GIB // 10) + 1)
        self.assertEqual(stepped(2 * GIB, slices), GIB // 2)
        self.assertEqual(stepped(1, slices), 1)

    @given(st.integers(1, 10**6), st.integers(1, 10**6))
    def test_more_capacity_never_keeps_less(self, capacity: int, more: int) -> None:
        slices = (Slice(1000, 600), Slice(3000, 100), Slice(None, 25))
        self.assertLessEqual(stepped(capacity, slices), stepped(capacity + more, slices))


class TestHouseRules(unittest.TestCase):
    RULES = HouseRules(
        3, 60, 5, 3, frozenset({Purchase.ON_DEMAND}), frozenset({"tern"}), frozenset({"Skerry/sound"}),
        required_labels=("team",), open_rules=frozenset({"most_pools"}),
    )  # fmt: skip
    KEPT = Choices(3, 60, 5, 3, frozenset({Purchase.ON_DEMAND}), frozenset({"tern"}), "Skerry/sound")

    def test_choices_inside_every_rule_deviate_from_none(self) -> None:
        self.assertEqual(deviations(self.RULES, self.KEPT), [])
        self.assertEqual(deviations(HouseRules(), Choices()), [])

    def test_each_rule_is_broken_alone_and_open_only_where_the_house_says_so(self) -> None:
        outside = Choices(2, None, 6, 1, frozenset(Purchase), frozenset({"tern", "auk"}), "Holm/yard")
        found = deviations(self.RULES, outside)
        self.assertEqual([entry.rule for entry in found], list(RULES))
        self.assertEqual([entry.rule for entry in found if entry.allowed], ["most_pools"])

    def test_workloads_that_lack_a_required_label_are_named(self) -> None:
        self.assertEqual(unlabelled(self.RULES, {"a/b": ("team",), "a/c": ("tier",)}), {"a/c": ("team",)})


class TestMoney(unittest.TestCase):
    RATES = Rates("EUR", date(2026, 11, 2), {"NOK": Decimal("0.0854"), "GBP": Decimal("1.16")})

    def test_a_way_over_the_base_is_the_direct_way(self) -> None:
        direct = self.RATES.convert(Decimal("100"), "GBP", "NOK")
        self.assertEqual(direct, Decimal("1358.313817330"))
        self.assertEqual(self.RATES.convert(Decimal("0.1"), "EUR", "EUR"), Decimal("0.1"))

    def test_a_currency_without_a_rate_is_refused(self) -> None:
        with self.assertRaises(InputRefused):
            self.RATES.convert(Decimal(1), "SEK", "EUR")
