"""The compiled validator of JSON Schema and the reference one agree on whatever is done to a document."""

import copy
import json
import random
import unittest
from importlib import resources
from typing import Any

import jsonschema_rs
from bench.instances import Realistic, realistic

from rombel.errors import InputRefused
from rombel.formats import write_problem
from rombel.formats._json import passes, validate, validator

ODD: tuple[Any, ...] = (
    None, True, -1, 0, 1.0, 1.5, 10**30, float("nan"), "", "a\n", "EUR\n", "\ud800", "x" * 300, [], [1, 1], {}, {"a": 1}, {"\ud800": 1},
)  # fmt: skip
"""What is put somewhere into a document: each kind of value, and those on which languages differ."""


def places(value: Any) -> list[tuple[Any, Any]]:
    """Return every container of a document with each of its keys."""
    keys = list(value) if isinstance(value, dict) else list(range(len(value))) if isinstance(value, list) else []
    return [pair for key in keys for pair in [(value, key), *places(value[key])]]


class TestSchemas(unittest.TestCase):
    def test_what_passes_at_once_has_no_fault_and_what_has_none_is_never_refused(self) -> None:
        document = json.loads(write_problem(realistic(1, Realistic(classes=3, types=3))))
        rng, refused = random.Random(1), 0
        for _ in range(1500):
            own = copy.deepcopy(document)
            holder, key = rng.choice(places(own))
            if rng.random() < 0.2:
                del holder[key]
            else:
                holder[key] = rng.choice(ODD)
            faults = list(validator("fit-problem-1").iter_errors(own))
            if passes(own, "fit-problem-1"):
                self.assertEqual(faults, [], own)
            try:
                validate(own, "fit-problem-1")
            except InputRefused:
                refused += 1
                self.assertTrue(faults)
            else:
                self.assertFalse(faults)
        self.assertGreater(refused, 300)
        self.assertTrue(passes(document, "fit-problem-1"))

    def test_every_schema_that_ships_is_one(self) -> None:
        for file in resources.files("rombel.formats").joinpath("schemas").iterdir():
            with self.subTest(file.name):
                jsonschema_rs.meta.validate(json.loads(file.read_text("utf-8")))
