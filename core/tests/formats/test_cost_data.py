"""Cost data: what is written has the columns of the open specification, and what is read is a whole month or nothing."""

import csv
import io
import json
import unittest
from dataclasses import replace
from datetime import datetime
from decimal import Decimal
from fractions import Fraction
from pathlib import Path

from rombel.errors import InputRefused
from rombel.formats import COST_COLUMNS, read_cost_data, write_cost_data
from rombel.formats.cost_data_csv import OTHER_NAMES
from rombel.ledger import (
    HOUR,
    Account,
    Bill,
    Charge,
    compare_months,
    compare_with_actual,
    cost_rows,
    hours_of_month,
    in_sums,
    rounded,
)
from rombel.model.cost_data import ActualCharge

HOURS = hours_of_month(2028, 2)
ACCOUNT = Account("Summer", "Made-up Compute", "north")


def planned() -> Bill:
    """Return a bill of a leap February: nodes in two ways, a licence, a gateway and traffic."""
    charges = (
        Charge("node", "tern-16", "on-demand", "amber", 3, HOUR, Decimal("0.7361"), HOURS),
        Charge("licence", "tern-16", "on-demand", "amber", 3, HOUR, Decimal("0.176"), HOURS),
        Charge("node", "eider-8", "interruptible", "birch", 2, HOUR, Decimal("0.1333"), HOURS),
        Charge("gateway", "", "", "amber", 1, HOUR, Decimal("0.045"), HOURS),
        Charge("traffic out", "", "", "", 4000, "GiB", Decimal("0.07"), HOURS / 730),
    )
    return Bill("EUR", HOURS, charges)


def changed(text: str, number: int, **cells: str) -> str:
    """Return a file with some cells of one line changed."""
    rows = list(csv.DictReader(io.StringIO(text)))
    rows[number] |= cells
    return write_cost_data(rows)


class TestCostData(unittest.TestCase):
    def setUp(self) -> None:
        self.text = write_cost_data(cost_rows(planned(), 2028, 2, ACCOUNT))

    def test_what_is_written_keeps_the_rules_of_the_specification(self) -> None:
        """Rule set 1.0 of the specification body's validator (its columns, types, nulls and values; see the file's source)."""
        rules = json.loads((Path(__file__).parent / "cost-columns-1.0.json").read_text())["columns"]
        ours = {published: name for name, published in OTHER_NAMES.items()}
        self.assertEqual({ours.get(name, name) for name in COST_COLUMNS}, set(rules))
        rows = list(csv.DictReader(io.StringIO(self.text)))
        self.assertEqual(len(rows), 29 * len(planned().charges))
        for row in rows:
            for name, cell in row.items():
                rule = rules[ours.get(name, name)]
                if not cell:
                    self.assertNotEqual(rule.get("null"), False, name)
                elif rule["type"] == "decimal":
                    Decimal(cell)
                elif rule["type"] == "datetime":
                    self.assertTrue(cell.endswith("Z"))
                    datetime.fromisoformat(cell)
                elif rule["type"] == "stringified-json-object":
                    self.assertIsInstance(json.loads(cell), dict)
                if cell and rule.get("values"):
                    self.assertIn(cell, rule["values"], name)
        self.assertEqual(sum(Decimal(row["BilledCost"]) for row in rows), rounded({0: planned().total}, 6)[0])

    def test_a_month_that_went_as_planned_differs_in_nothing(self) -> None:
        for text in (self.text, self.text.replace("ProviderName", "Provider").replace("ResourceId", "ResourceID")):
            found = compare_with_actual(planned(), read_cost_data(text, 2028, 2, "EUR"))
            self.assertEqual(len(found), len(planned().charges))
            for each in found:
                self.assertLess(abs(each.difference), Fraction(1, 1000), each.item)

    def test_surprises_are_parted_into_amount_and_price_and_sum_to_the_difference(self) -> None:
        actual = list(read_cost_data(self.text, 2028, 2, "EUR"))
        start = actual[0].start
        dearer = [
            ActualCharge(c.item, c.purchase, c.zone, c.start, c.end, c.quantity, c.unit, 2 * c.cost)
            if c.item == "eider-8"
            else c
            for c in actual
            if c.item != "gateway"
        ]
        nobody = ActualCharge("skua-8", "on-demand", "amber", start, start, Decimal(100), "Hours", Decimal("88.40"))
        found = {each.item: each for each in compare_with_actual(planned(), [*dearer, nobody])}
        self.assertEqual((found["skua-8"].planned, found["skua-8"].billed), (None, Fraction("88.40")))
        self.assertIsNone(found["gateway"].billed)
        self.assertAlmostEqual(float(found["eider-8"].by_price or 0), 2 * 0.1333 * 696, 3)
        self.assertAlmostEqual(float(found["eider-8"].by_amount or 0), 0, 6)
        summed = compare_with_actual(planned(), in_sums([*dearer, nobody]))
        self.assertEqual({each.item: each for each in summed}, found)
        billed = sum(Fraction(c.cost) for c in [*dearer, nobody])
        self.assertEqual(sum(each.difference for each in found.values()), billed - planned().total)

    def test_two_months_differ_by_amount_and_price_and_what_only_one_has(self) -> None:
        before = list(read_cost_data(self.text, 2028, 2, "EUR"))
        self.assertEqual({each.difference for each in compare_months(before, in_sums(before))}, {0})
        after = [replace(c, quantity=(c.quantity or 0) * 3, cost=c.cost * 6) for c in before if c.item != "gateway"]
        found = compare_months(before, after)
        self.assertEqual(
            sum(each.difference for each in found),
            sum(Fraction(c.cost) for c in after) - sum(Fraction(c.cost) for c in before),
        )
        # By hand: three times as much is twice more at the old price; twice the price of it is three times more.
        for each in found:
            if each.billed is None:
                self.assertEqual(each.item, "gateway")
            else:
                was = each.planned or Fraction(0)
                self.assertEqual((each.by_amount, each.by_price), (2 * was, 3 * was))
        # Of two prices nothing is one amount: the licence of a small and of a large node.
        mixed = [replace(c, item="one", purchase="", zone="", unit="Hours") for c in before]
        self.assertEqual([(each.by_amount, each.by_price) for each in compare_months(mixed, mixed)], [(None, None)])

    def test_a_file_with_any_fault_is_refused_with_line_and_column(self) -> None:
        rows = self.text.splitlines(keepends=True)
        bad = [
            (self.text.replace("BilledCost", "Cost", 1), "BilledCost", 1),
            (changed(self.text, 0, BilledCost="twelve"), "BilledCost", 2),
            (changed(self.text, 1, BillingCurrency="GBP"), "BillingCurrency", 3),
            (changed(self.text, 2, ChargePeriodStart="2028-02-03T00:00:00"), "ChargePeriodStart", 4),
            (changed(self.text, 2, ChargePeriodStart="2028-02-03T00:00:00+01:00"), "ChargePeriodStart", 4),
            (changed(self.text, 3, ChargePeriodStart="2028-03-01T00:00:00Z"), "ChargePeriodStart", 5),
            (changed(self.text, 3, ChargePeriodEnd="2028-02-01T00:00:00Z"), "ChargePeriodEnd", 5),
            (self.text + rows[1], "BilledCost", len(rows) + 1),
            (rows[0], "", 2),
        ]
        for text, column, line in bad:
            with self.assertRaises(InputRefused) as refused:
                read_cost_data(text, 2028, 2, "EUR")
            self.assertIn((column, line), [(fault.path, fault.line) for fault in refused.exception.faults])


if __name__ == "__main__":
    unittest.main()
