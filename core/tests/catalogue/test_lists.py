"""Differences between editions, plans bought anew, and substitutes."""

import unittest
from dataclasses import replace
from datetime import date
from decimal import Decimal

from rombel.catalogue import Candidate, ChangeKind, compare_lists, nearest, reprice
from rombel.errors import InputRefused
from rombel.model.fit_problem import Purchase
from rombel.model.fit_solution import NodeBatch
from rombel.model.price_list import (
    ListedFee,
    ListedNetwork,
    ListedOffer,
    ListedQuota,
    ListedRegion,
    ListedType,
    ListedVersion,
    PriceList,
)

GIB = 2**30
TYPES = tuple(ListedType(f"tern-{size}", "tern", size, 4 * size * GIB, "amd64", 110) for size in (2, 4))
AMBER = ListedOffer("sound", "amber", "tern-2", Purchase.ON_DEMAND, Decimal("0.1"), 5)
BIRCH = ListedOffer("sound", "birch", "tern-4", Purchase.ON_DEMAND, Decimal("0.2"))
LISTED = PriceList(
    "Skerry", "EUR", date(2026, 6, 1), (ListedRegion("sound", ("amber", "birch")),), TYPES, (AMBER, BIRCH)
)


class TestDifferences(unittest.TestCase):
    def kinds(self, **changes: object) -> list[str]:
        return [change.kind for change in compare_lists(LISTED, replace(LISTED, **changes))]  # type: ignore[arg-type]

    def test_the_same_list_changes_nothing_and_a_first_list_is_all_new(self) -> None:
        self.assertEqual(compare_lists(LISTED, LISTED), [])
        first = compare_lists(None, LISTED)
        self.assertEqual({change.kind for change in first}, {ChangeKind.NEW})
        self.assertEqual(len(first), 2 + 2 + 2)

    def test_each_kind_of_change_is_told_apart(self) -> None:
        for offer, kind in (
            (replace(AMBER, price_per_hour=Decimal("0.11")), ChangeKind.DEARER),
            (replace(AMBER, price_per_hour=Decimal("0.09")), ChangeKind.CHEAPER),
            (replace(AMBER, in_stock=False), ChangeKind.STOCK_OUT),
            (replace(AMBER, most_nodes=None), ChangeKind.QUOTA),
        ):
            self.assertEqual(self.kinds(offers=(offer, BIRCH)), [kind])
        self.assertEqual(self.kinds(offers=(AMBER,)), [ChangeKind.GONE])
        self.assertEqual(self.kinds(fees=(ListedFee("gateway", "hour", Decimal(1)),)), [ChangeKind.NEW])
        self.assertEqual(self.kinds(versions=(ListedVersion("1.31"),)), [ChangeKind.NEW])
        self.assertEqual(self.kinds(quotas=(ListedQuota("sound", "vCPUs", 9),)), [ChangeKind.NEW])
        self.assertEqual(self.kinds(network=ListedNetwork(5)), [ChangeKind.NEW])
        self.assertEqual(self.kinds(types=(replace(TYPES[0], most_pods=60), TYPES[1])), [ChangeKind.CHANGED])

    def test_a_plan_bought_anew_names_what_is_no_longer_to_be_had(self) -> None:
        nodes = [
            NodeBatch("tern-2", Purchase.ON_DEMAND, "amber", 3, {}),
            NodeBatch("tern-4", Purchase.ON_DEMAND, "birch", 2, {}),
        ]
        self.assertEqual(reprice(nodes, LISTED.offers, "sound").cost_per_month, Decimal("0.7") * 730)
        short = reprice(nodes, (AMBER, replace(BIRCH, in_stock=False)), "sound")
        self.assertEqual((short.cost_per_month, short.missing), (Decimal("0.3") * 730, ("tern-4 on-demand in birch",)))


class TestSubstitutes(unittest.TestCase):
    WANTED = Candidate("tern-4", "amd64", 4000, 16 * GIB, Decimal("0.2"))

    def test_nearest_first_never_itself_and_never_another_architecture(self) -> None:
        offered = [
            self.WANTED,
            replace(self.WANTED, name="petrel-4", architecture="arm64"),
            replace(self.WANTED, name="auk-8", usable_cpu_millicores=8000),
            replace(self.WANTED, name="tern-8", usable_cpu_millicores=8000, usable_memory_bytes=32 * GIB),
            replace(self.WANTED, name="eider-4", usable_memory_bytes=24 * GIB),
        ]
        got = nearest(self.WANTED, offered)
        self.assertEqual([entry.candidate.name for entry in got], ["eider-4", "auk-8", "tern-8"])
        self.assertAlmostEqual(got[1].distance, 1.0)
        self.assertEqual((got[1].cpu_ratio, got[1].memory_ratio, got[1].price_ratio), (2.0, 1.0, 1.0))

    def test_a_type_with_nothing_usable_has_no_substitute(self) -> None:
        with self.assertRaises(InputRefused):
            nearest(replace(self.WANTED, usable_cpu_millicores=0), [])
