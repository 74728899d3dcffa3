"""What is signed can be read back whole and not be altered unseen; nothing that would fail, is risky without a reason or breaks is signed."""

import copy
import json
import unittest
from dataclasses import replace
from decimal import Decimal
from typing import Any

from rombel.model.drill import Mark
from rombel.model.fit_problem import Purchase
from rombel.preflight import Grade
from rombel.signing import (
    SeenDrill,
    SeenFinding,
    SeenJourney,
    SeenPlan,
    digest_of_seen,
    hurdles,
    read_seen,
    seen_value,
    signatures_needed,
)

STOP = SeenFinding(Grade.STOP, "names", "a name is too long", "Shorten it.")
CARE = SeenFinding(Grade.CARE, "plane", "the control plane has one member", "Take three.")
NOTE = SeenFinding(Grade.NOTE, "list", "a newer list is there", "Look.")
PLAN = SeenPlan(
    problem="a" * 64,
    solution="b" * 64,
    currency="EUR",
    cost=Decimal("1234.50"),
    floor=Decimal("1200.00"),
    nodes={("tern-4", Purchase.ON_DEMAND, "amber"): 3, ("auk-8", Purchase.INTERRUPTIBLE, "birch"): 1},
    journeys=(SeenJourney.of("buy", 3.3333333333, 21.6), SeenJourney.of("look", 1e-9, None)),
    bill=(("nodes, on-demand", Decimal("1200.50")), ("control plane", Decimal("34.00"))),
    drills=(SeenDrill("lose amber", Mark.HELD), SeenDrill("upgrade", Mark.STRAINED)),
    findings=(replace(CARE, accepted="Lars Voe: a trial"), NOTE),
    deviations=(("most_pools", "7", "a year of two platforms"),),
)


def leaves(value: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    """Return the way to every figure and text of plain values."""
    if isinstance(value, dict | list):
        parts = value.items() if isinstance(value, dict) else enumerate(value)
        return [way for key, own in parts for way in leaves(own, (*path, key))]
    return [path]


class TestSeen(unittest.TestCase):
    def test_it_is_read_back_whole_from_json_in_any_order(self) -> None:
        for plan in (PLAN, replace(PLAN, drills=None, journeys=(), bill=())):
            value = seen_value(plan)
            stored = json.loads(json.dumps(dict(reversed(value.items()))))
            self.assertEqual(read_seen(stored), plan)
            self.assertEqual(digest_of_seen(stored), digest_of_seen(value))

    def test_every_figure_and_text_is_part_of_the_digest(self) -> None:
        value = seen_value(PLAN)
        ways = leaves(value)
        self.assertGreaterEqual(len(ways), 40)
        for way in ways:
            altered = copy.deepcopy(value)
            holder: Any = altered
            for key in way[:-1]:
                holder = holder[key]
            holder[way[-1]] = f"{holder[way[-1]]}1"
            self.assertNotEqual(digest_of_seen(altered), digest_of_seen(value), way)


class TestTerms(unittest.TestCase):
    def test_each_thing_that_keeps_a_plan_from_being_signed_is_told_once_with_what_mends_it(self) -> None:
        self.assertEqual(hurdles(PLAN), [])
        broken = (*(PLAN.drills or ()), SeenDrill("lose birch", Mark.BROKEN))
        for plan, codes in (
            (replace(PLAN, findings=(STOP,)), ["sign.stop"]),
            # A reason does not help against what would fail.
            (replace(PLAN, findings=(replace(STOP, accepted="Pia: so what"),)), ["sign.stop"]),
            (replace(PLAN, findings=(CARE, NOTE)), ["sign.care"]),
            (replace(PLAN, drills=None), ["sign.drills"]),
            (replace(PLAN, drills=broken, findings=(STOP, CARE)), ["sign.stop", "sign.care", "sign.drill"]),
        ):
            found = hurdles(plan)
            self.assertEqual([fault.code for fault in found], codes)
            self.assertTrue(all(fault.fix for fault in found))

    def test_a_second_lead_signs_above_the_amount_and_not_at_it(self) -> None:
        cases = (("15000.01", "15000", 2), ("15000.00", "15000", 1), ("99999", None, 1))
        for cost, above, wanted in cases:
            amount = None if above is None else Decimal(above)
            self.assertEqual(signatures_needed(Decimal(cost), amount), wanted)
