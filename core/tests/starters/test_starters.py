"""Starters: formulas are exact, what is filled in makes the study that the shape says, and nothing else is taken."""

from __future__ import annotations

import math
from fractions import Fraction
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from rombel.errors import InputRefused
from rombel.starters import Answers, Filled, Formula, differences, fill, plain_formulas, read_shape, shape_value

ROW = {
    "namespace": "shop",
    "name": "api",
    "kind": "replicated",
    "replicas": 4,
    "cpu_millicores": 250,
    "memory_bytes": 2**29,
}
OTHER = {**ROW, "name": "web", "replicas": 3}


def value(**changed: Any) -> dict[str, Any]:
    """Return a small starter's plain values, with some of them changed."""
    stated = {
        "format": "rombel-starter/1",
        "inputs": [
            {"name": "rate", "label": "requests", "unit": "a second", "value": "100", "least": "1", "most": "5000"}
        ],
        "sizes": [{"name": "S", "factor": "0.5"}, {"name": "M", "factor": "1"}],
        "rows": [ROW, OTHER],
        "formulas": {"shop/api": {"replicas": "max(2, ceil(rate / 30 * size))", "cpu": "0.1 * 3"}},
        "study": {"journeys": [{"name": "buy", "target": "99.9", "chain": "api"}]},
        "choices": {"survive_zone": "landing"},
        "region": "north-sound",
    }
    return {**stated, **changed}


def answers(**changed: Any) -> Answers:
    """Return what was filled in, with some of it changed."""
    stated: dict[str, Any] = {"size": "M", "inputs": {}, "survive_zone": "", "targets": {}}
    return Answers(**{**stated, **changed})


class TestFormulas(TestCase):
    def test_numbers_are_exact_where_floating_point_is_not(self) -> None:
        """IEEE 754: 0.1 * 30 is 3.0000000000000004 in binary64, 0.1 + 0.2 is not 0.3."""
        # What floats make of it, so that the next line is known to differ.
        self.assertEqual(math.ceil(0.1 * 3 * 10), 4)
        self.assertEqual(Formula.read("ceil(0.1 * 3 * 10)", (), "").value({}, ""), 3)
        self.assertEqual(Formula.read("0.1 + 0.2", (), "").value({}, ""), Fraction(3, 10))

    @given(
        st.fractions(min_value=-1000, max_value=1000, max_denominator=50),
        st.fractions(min_value=-1000, max_value=1000, max_denominator=50),
    )
    def test_formulas_are_the_arithmetic_that_they_spell(self, a: Fraction, b: Fraction) -> None:
        def of(text: str) -> Fraction:
            return Formula.read(text, ("a", "b"), "").value({"a": a, "b": b}, "")

        self.assertEqual(of("a + b * 2 - -a / 4"), a + b * 2 + a / 4)
        self.assertEqual(of("min(a, b) + max(a, b)"), a + b)
        self.assertEqual((of("ceil(a)"), of("floor(a)")), (math.ceil(a), math.floor(a)))
        self.assertEqual(of("(a + b) * (a - b)"), a * a - b * b)

    def test_what_is_no_formula_of_the_inputs_is_refused_with_its_place(self) -> None:
        """A formula comes from a person and is read by a parser of a whole language: nothing of that language goes through but arithmetic."""
        for text in (
            # Texts that the language's own parser takes: powers that never end, names with underscores, calls, strings, nesting.
            "", " ", "x" * 201, "b", "a ** 9", "a.real", "a[0]", "__import__('os')", "lambda: a", "[a]", "a if a else 1", "'a'",
            "True", "1j", "0x10", "1e9", "1_0", "ceil(a, 2)", "ceil()", "max(a, key=a)", "abs(a)", "a == 1", "a and 1", "(a := 1)", "a; a",
            "f'{a}'", "not a", "~a", "a\x00", "(" * 150 + "a" + ")" * 150, "9" * 19, "+".join("a" * 80),
        ):  # fmt: skip
            with self.subTest(text=text), self.assertRaises(InputRefused) as refused:
                Formula.read(text, ("a",), "formulas.here")
            self.assertEqual(refused.exception.faults[0].path, "formulas.here")

    def test_a_value_that_is_none_or_endless_is_refused(self) -> None:
        for text in ("1 / (a - a)", "*".join(["999999999"] * 20)):
            with self.subTest(text=text), self.assertRaises(InputRefused):
                Formula.read(text, ("a",), "").value({"a": Fraction(1)}, "")


class TestFilling(TestCase):
    def filled(self, stated: dict[str, Any] | None = None, **changed: Any) -> Filled:
        return fill(read_shape(stated or value()), answers(**changed))

    def test_amounts_follow_inputs_and_size_and_are_never_less_than_the_formula_says(self) -> None:
        # 100 a second by 30 are 3.3 and so 4, half of that 1.7 and so 2; 301 by 30 is a hair over 10 and so 11.
        for size, rate, replicas in (("M", "", 4), ("S", "", 2), ("M", "301", 11), ("S", "301", 6), ("M", "1", 2)):
            rows = self.filled(size=size, inputs={"rate": rate}).rows
            self.assertEqual((rows[0]["replicas"], rows[0]["cpu_millicores"], rows[1]), (replicas, 300, OTHER))
        self.assertEqual(
            self.filled(value(formulas={"shop/api": {"cpu": "1 / 3", "memory": "0.5"}})).rows[0]["cpu_millicores"], 334
        )

    def test_where_replicas_follow_a_load_the_load_is_filled_in_and_all_levels_keep_their_share_of_it(self) -> None:
        loaded = {**ROW, "sizing": {"basis": "rate", "trough": 10.0, "usual": 40.0, "peak": 80.0, "per_replica": 5.0}}
        ranged = {**OTHER, "sizing": {"basis": "range", "least": 2, "most": 9}}
        stated = value(
            rows=[loaded, ranged], formulas={"shop/api": {"load": "rate * 3 * size"}, "shop/web": {"replicas": "6"}}
        )
        api, web = self.filled(stated, size="S", inputs={"rate": "80"}).rows
        self.assertEqual([api["sizing"][level] for level in ("trough", "usual", "peak")], [15.0, 60.0, 120.0])
        self.assertEqual((api["replicas"], web["replicas"]), (ROW["replicas"], 6))
        # Replicas were doubled, from 3 to 6, and the bounds go with them.
        self.assertEqual((web["sizing"]["least"], web["sizing"]["most"]), (4, 18))
        self.assertEqual(plain_formulas([loaded])["shop/api"], {"load": "80.0 * size"})
        self.assertEqual(
            differences(self.filled(stated), self.filled(stated, size="S")), ["shop/api: load at peak 300, then 150."]
        )
        for formulas in ({"shop/api": {"replicas": "3"}}, {"shop/web": {"load": "3"}}):
            with self.assertRaises(InputRefused) as refused:
                read_shape({**stated, "formulas": formulas})
            self.assertEqual(refused.exception.faults[0].code, "starter.load")

    def test_promises_are_those_filled_in_and_else_those_of_the_shape(self) -> None:
        plain, told = self.filled(), self.filled(survive_zone="standing", targets={"buy": "99.99"})
        self.assertEqual((plain.choices["survive_zone"], plain.study["journeys"][0]["target"]), ("landing", "99.9"))
        self.assertEqual((told.choices["survive_zone"], told.study["journeys"][0]["target"]), ("standing", "99.99"))
        self.assertEqual(told.study["journeys"][0]["chain"], "api")

    def test_every_fault_is_told_with_its_place(self) -> None:
        bad: list[tuple[dict[str, Any], list[str]]] = [
            ({"size": "XXL", "inputs": {"rate": "9999"}}, ["size", "inputs.rate"]),
            (
                {"inputs": {"rate": "many", "speed": "1"}, "targets": {"sell": "99"}},
                ["inputs.rate", "inputs.speed", "targets.sell"],
            ),
        ]
        for changed, paths in bad:
            with self.assertRaises(InputRefused) as refused:
                self.filled(**changed)
            self.assertEqual([fault.path for fault in refused.exception.faults], paths)
        for formula in ("rate - rate", "rate * 1000000", "0 - 1"):
            with self.assertRaises(InputRefused):
                self.filled(value(formulas={"shop/api": {"replicas": formula}}))

    def test_a_shape_of_wrong_parts_is_refused_with_all_of_them(self) -> None:
        # The second of the two is at fault, and its place says so.
        twice = [*value()["inputs"], *value()["inputs"]]
        pods = {**ROW, "pod": {"containers": [{"name": "a"}]}}
        for changed, paths in (
            ({"inputs": twice}, ["inputs.1.name"]),
            ({"inputs": [{**twice[0], "name": "size"}], "formulas": {}}, ["inputs.0.name"]),
            ({"inputs": [{**twice[0], "value": "0"}], "formulas": {}}, ["inputs.0.value"]),
            ({"sizes": []}, ["sizes"]),
            ({"sizes": [{"name": "S", "factor": "0"}]}, ["sizes.0"]),
            ({"formulas": {"shop/gone": {"replicas": "1"}}}, ["formulas.shop/gone"]),
            (
                {"formulas": {"shop/api": {"replicas": "nothing", "cpu": "("}}},
                ["formulas.shop/api.replicas", "formulas.shop/api.cpu"],
            ),
            ({"rows": [pods], "formulas": {"shop/api": {"cpu": "1", "replicas": "2"}}}, ["formulas.shop/api.cpu"]),
            ({"format": "rombel-starter/2"}, ["format"]),
        ):
            with self.subTest(changed=changed), self.assertRaises(InputRefused) as refused:
                read_shape(value(**changed))
            self.assertEqual([fault.path for fault in refused.exception.faults], paths)

    def test_a_shape_is_read_as_it_was_written_and_a_plain_one_makes_the_study_it_was_taken_of(self) -> None:
        shape = read_shape(value())
        self.assertEqual(read_shape(shape_value(shape)), shape)
        plain = read_shape(value(formulas=plain_formulas([ROW, OTHER])))
        self.assertEqual(fill(plain, answers()).rows, (ROW, OTHER))

    def test_what_a_newer_version_changes_is_told_and_the_order_of_rows_is_not(self) -> None:
        old = self.filled()
        self.assertEqual(differences(old, self.filled(value(rows=[OTHER, ROW]))), [])
        told = differences(
            old,
            self.filled(
                value(rows=[{**ROW, "owner": "sales"}, {**OTHER, "name": "cart"}], choices={}),
                inputs={"rate": "200"},
                targets={"buy": "99.5"},
            ),
        )
        self.assertEqual(
            told,
            [
                "shop/api: replicas 4, then 7.",
                "shop/api: owner otherwise.",
                "It adds shop/cart with 3 replicas.",
                "It has no shop/web any more.",
                "The journey buy: 99.9 percent, then 99.5.",
                "It chooses otherwise: survive zone.",
            ],
        )
