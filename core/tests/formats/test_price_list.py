"""Price lists: what is written is read back; every fault is told with its place, and nothing else is taken."""

import json
import unittest
from datetime import date
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.formats import (
    price_list_value,
    read_offers_csv,
    read_price_list,
    write_offers_csv,
    write_price_list,
)
from rombel.model.fit_problem import Purchase
from rombel.model.price_list import (
    ListedDisk,
    ListedFee,
    ListedNetwork,
    ListedOffer,
    ListedPerUse,
    ListedQuota,
    ListedRegion,
    ListedTerm,
    ListedTier,
    ListedType,
    ListedVersion,
    PriceList,
)

TERN = ListedType("tern-4", "tern", 4, 16 * 2**30, "amd64", 110, 0, 100 * 2**30, 16, 10_000)
SKUA = ListedType("skua-8", "skua", 8, 64 * 2**30, "amd64", 110, 1, 0, None, None)
LISTED = PriceList(
    "Skerry",
    "EUR",
    date(2026, 11, 1),
    (ListedRegion("sound", ("amber", "birch")),),
    (TERN, SKUA),
    (
        ListedOffer("sound", "amber", "tern-4", Purchase.ON_DEMAND, Decimal("0.1840")),
        ListedOffer("sound", "birch", "tern-4", Purchase.INTERRUPTIBLE, Decimal("0.061"), 20, Decimal("0.004"), False),
        ListedOffer("sound", "amber", "skua-8", Purchase.COMMITTED, Decimal("1.2")),
    ),
    (ListedDisk("zonal", "zone", Decimal("0.09")),),
    (ListedTier("kept", 3, Decimal("0.1"), Decimal("0.9995"), True), ListedTier("plain", 1, Decimal(0))),
    (ListedFee("gateway", "hour", Decimal("0.045")),),
    (ListedTerm("a year", "family", 12, Decimal("0.62"), Decimal("0.5"), ("tern",)),),
    (ListedPerUse("tide", Decimal("0.0000158"), Decimal("0.0000017"), ((250, 2**29), (1000, 2**31)), "amd64", 60),),
    (ListedVersion("1.31", date(2027, 10, 31)), ListedVersion("1.32")),
    (ListedQuota("sound", "tern vCPUs", 64, "vcpu", "tern", "amber", Purchase.INTERRUPTIBLE), ListedQuota("sound", "nodes", 9, "nodes")),
    ListedNetwork(5, one_route_table=True, longest_name=40, name_prefix="sk-"),
)  # fmt: skip


def refused(change: dict[str, object], part: str = "offers") -> list[tuple[str, str]]:
    raw = price_list_value(LISTED)
    raw[part][0].update(change)
    try:
        read_price_list(json.dumps(raw))
    except InputRefused as error:
        return [(fault.code, fault.path) for fault in error.faults]
    return []


class TestJson(unittest.TestCase):
    def test_what_is_written_is_read_back(self) -> None:
        self.assertEqual(read_price_list(write_price_list(LISTED)), LISTED)
        self.assertEqual(read_price_list("\ufeff" + write_price_list(LISTED)), LISTED)

    def test_every_bad_value_is_refused_where_it_stands(self) -> None:
        for part, change, expected in (
            ("offers", {"price_per_hour": "0"}, ("price.sign", "offers[0].price_per_hour")),
            ("offers", {"price_per_hour": "-0.1"}, ("price.sign", "offers[0].price_per_hour")),
            ("offers", {"price_per_hour": 0.1}, ("schema.type", "offers[0].price_per_hour")),
            ("offers", {"price_per_hour": "NaN"}, ("price.text", "offers[0].price_per_hour")),
            ("offers", {"zone": "moon"}, ("catalogue.zone", "offers[0].zone")),
            ("offers", {"region": "moon"}, ("catalogue.region", "offers[0].region")),
            ("offers", {"instance_type": "gull-2"}, ("catalogue.type", "offers[0].instance_type")),
            ("offers", {"colour": "red"}, ("schema.additionalProperties", "offers[0]")),
            ("types", {"name": "skua-8"}, ("catalogue.twice", "types[1]")),
            ("types", {"memory_bytes": 0}, ("schema.minimum", "types[0].memory_bytes")),
            ("terms", {"months": 0}, ("schema.minimum", "terms[0].months")),
            ("terms", {"price_share": "1.2"}, ("catalogue.share", "terms[0].price_share")),
            ("terms", {"price_share": "-0.2"}, ("price.sign", "terms[0].price_share")),
            ("terms", {"families": ["gull"]}, ("catalogue.family", "terms[0].families[0]")),
            ("terms", {"scope": "region"}, ("schema.enum", "terms[0].scope")),
            ("per_use", {"vcpu_second": "0"}, ("price.sign", "per_use[0].vcpu_second")),
            ("per_use", {"sizes": []}, ("schema.minItems", "per_use[0].sizes")),
            ("versions", {"version": "newest"}, ("build.version", "versions[0].version")),
            ("versions", {"ends": "2027-02-30"}, ("catalogue.date", "versions[0].ends")),
            ("quotas", {"region": "moon"}, ("catalogue.region", "quotas[0].region")),
            ("quotas", {"zone": "moon"}, ("catalogue.zone", "quotas[0].zone")),
            ("quotas", {"family": "gull"}, ("catalogue.family", "quotas[0].family")),
            ("quotas", {"name": "nodes", "zone": ""}, ("catalogue.twice", "quotas[1]")),
            ("tiers", {"members": 4}, ("schema.enum", "tiers[0].members")),
        ):
            with self.subTest(change=change):
                self.assertIn(expected, refused(change, part))

    def test_an_offer_stands_once_and_a_day_is_a_day(self) -> None:
        raw = price_list_value(LISTED)
        raw["offers"].append(raw["offers"][0])
        raw["dated"] = "2026-02-30"
        with self.assertRaises(InputRefused) as day:
            read_price_list(json.dumps(raw))
        raw["dated"] = "2026-02-28"
        with self.assertRaises(InputRefused) as twice:
            read_price_list(json.dumps(raw))
        codes = [day.exception.faults[0].code, twice.exception.faults[0].code]
        self.assertEqual(codes, ["catalogue.date", "catalogue.twice"])


class TestCsv(unittest.TestCase):
    def read(self, text: str) -> PriceList:
        return read_offers_csv(text, LISTED.provider, LISTED.currency, LISTED.dated)

    def test_offers_and_types_are_read_back(self) -> None:
        for text in (write_offers_csv(LISTED), "\ufeff" + write_offers_csv(LISTED).replace("\r\n", "\n")):
            got = self.read(text)
            self.assertEqual((got.offers, got.types, got.regions), (LISTED.offers, LISTED.types, LISTED.regions))

    def test_every_fault_is_told_with_line_and_column(self) -> None:
        head, first, *rest = write_offers_csv(LISTED).splitlines()
        for line, expected in (
            (first.replace("0.1840", "-1"), ("price.sign", 2, 9)),
            (first.replace("16Gi", "16GB"), ("quantity.grammar", 2, 6)),
            (first + ",x", ("csv.width", 2, 1)),
            (first.replace("on-demand", "rented"), ("catalogue.purchase", 2, 10)),
        ):
            with self.subTest(line), self.assertRaises(InputRefused) as error:
                self.read("\n".join([head, line, *rest]))
            fault = error.exception.faults[0]
            self.assertEqual((fault.code, fault.line, fault.column), expected)

    def test_lines_that_contradict_each_other_are_refused(self) -> None:
        head, first, second, *_ = write_offers_csv(LISTED).splitlines()
        for lines, expected in (
            ([first, first], ("catalogue.twice", 3)),
            ([first, second.replace("16Gi", "8Gi")], ("catalogue.type", 3)),
        ):
            with self.assertRaises(InputRefused) as error:
                self.read("\n".join([head, *lines]))
            self.assertIn(expected, [(fault.code, fault.line) for fault in error.exception.faults])
        with self.assertRaises(InputRefused):
            self.read("")
