"""Quantities: the grammar of the Kubernetes API reference, exactly, and rounding up."""

import unittest
from fractions import Fraction

from kubernetes.utils.quantity import parse_quantity as reference_parser

from rombel.errors import InputRefused
from rombel.model.quantity import (
    cpu_millicores,
    memory_bytes,
    parse_price,
    parse_quantity,
    show_cpu,
    show_memory,
    typed_bytes,
    typed_cpu,
    typed_number,
    typed_quantity,
)


class TestGrammar(unittest.TestCase):
    def test_valid_texts_have_the_values_of_the_api_reference(self) -> None:
        # API reference, type Quantity: the values of the examples and suffixes.
        for text, value in {
            "100m": Fraction(1, 10),
            "0.1": Fraction(1, 10),
            "128974848": 128974848,
            "123Mi": 128974848,
            "128974848000m": 128974848,
            "129e6": 129_000_000,
            "129M": 129_000_000,
            "1E": 10**18,
            "1E3": 1000,
            "1e3": 1000,
            "1Ei": 2**60,
            "5.": 5,
            ".5": Fraction(1, 2),
            "+1Ki": 1024,
        }.items():
            with self.subTest(text):
                self.assertEqual(parse_quantity(text), value)

    def test_valid_texts_agree_with_the_reference_library(self) -> None:
        # PyPI package "kubernetes", kubernetes.utils.quantity; it is laxer, so only valid texts are compared.
        for text in ("250m", "1.5Gi", "64Gi", "64G", "7k", "0.25", "12e2", "3Ti", "900Mi", "17u"):
            with self.subTest(text):
                self.assertEqual(parse_quantity(text), Fraction(reference_parser(text)))

    def test_texts_outside_the_grammar_are_refused_with_what_would_mend_them(self) -> None:
        for text in (
            "1K",
            "1ki",
            "1mi",
            "1KiB",
            "1Gib",
            "1GB",
            "1 Gi",
            "",
            "Ki",
            "0x10",
            "1.2.3",
            "1e",
            "1e1Ki",
            "1_000",
        ):
            with self.subTest(text), self.assertRaises(InputRefused) as caught:
                parse_quantity(text)
            self.assertTrue(caught.exception.faults[0].fix)

    def test_amounts_above_the_largest_and_below_zero_are_refused(self) -> None:
        for text in ("9223372036854775808", "16Ei", "-1"):
            with self.subTest(text), self.assertRaises(InputRefused):
                memory_bytes(text)


class TestRounding(unittest.TestCase):
    def test_rounding_is_always_up(self) -> None:
        # API reference: "0.1m will be rounded up to 1m".
        self.assertEqual(cpu_millicores("0.1m"), 1)
        self.assertEqual(memory_bytes("400m"), 1)
        self.assertEqual(cpu_millicores("1.0001"), 1001)

    def test_what_is_shown_reads_back_to_the_same_amount(self) -> None:
        for amount in (0, 1, 999, 1000, 1500, 2**10, 3 * 2**20, 5 * 2**30, 2**30 + 1):
            self.assertEqual(cpu_millicores(show_cpu(amount)), amount)
            self.assertEqual(memory_bytes(show_memory(amount)), amount)

    def test_amounts_as_people_type_them_are_understood(self) -> None:
        self.assertEqual(memory_bytes(typed_quantity(" 2 GiB ")), 2**31)
        self.assertEqual(cpu_millicores(typed_quantity("1,5 cores")), 1500)
        self.assertEqual(typed_quantity("12 parsecs"), "12parsecs")

    def test_what_may_be_read_in_two_ways_is_asked_for_and_never_guessed(self) -> None:
        for text, read in (
            ("2,000", typed_cpu),
            ("1,234", typed_number),
            ("1.500m", typed_cpu),
            ("2,048Mi", typed_bytes),
            ("2,048 MiB", typed_bytes),
            ("1.5 GB", typed_cpu),
            ("2Gi", typed_cpu),
            ("2k", typed_cpu),
        ):
            with self.subTest(text), self.assertRaises(InputRefused):
                read(text)
        self.assertEqual([typed_cpu(text) for text in ("0.250", "1,5", "2000", "1500m", "1.5 cores")],
                         [250, 1500, 2_000_000, 1500, 1500])  # fmt: skip
        self.assertEqual([typed_bytes(text) for text in ("2048Mi", "2,5 GiB", "1.500Gi")],
                         [2**31, 5 * 2**29, 3 * 2**29])  # fmt: skip

    def test_prices_are_exact_text_above_zero(self) -> None:
        self.assertEqual(str(parse_price("0.1840")), "0.1840")
        for bad in ("0", "-1", "abc", "NaN", "0.1234567891", 0.5, None):
            with self.subTest(bad), self.assertRaises(InputRefused):
                parse_price(bad)
