"""More nodes, larger nodes or more CPU: each way keeps to its types, and none is cheaper than all types together."""

from __future__ import annotations

from unittest import TestCase

from rombel.fit import check, fit
from rombel.inquiry import Way, ways
from rombel.inquiry.ways import allowed_types
from tests.problems import QUICK, items, problem

RESOURCES = ("cpu_millicores", "memory_bytes")
TYPES = [
    ("small", (2000, 8000), "0.10"),
    ("large", (8000, 32000), "0.41"),
    ("quick", (4000, 8000), "0.17"),
    ("wide", (2000, 16000), "0.14"),
]
ASKED = problem(TYPES, items({(900, 1500): 9, (500, 4000): 3}, RESOURCES), resources=RESOURCES)


class TestWays(TestCase):
    def test_each_way_keeps_to_its_types_and_none_beats_all_of_them(self) -> None:
        """What may be bought follows from what the plan has; the answer with every type is a bound of the others."""
        plan = fit(ASKED, params=QUICK)
        found = {own.way: own for own in ways(ASKED, plan, params=QUICK)}
        self.assertEqual([*found], [*Way])
        used = {batch.instance_type for batch in plan.nodes}
        for way, own in found.items():
            self.assertLessEqual({*own.types}, allowed_types(ASKED, used, way))
            if own.cost_per_hour is not None and own.floor_per_hour is not None:
                best = found[Way.ANY].floor_per_hour
                assert best is not None
                self.assertGreaterEqual(own.cost_per_hour, best)
                self.assertLessEqual(own.floor_per_hour, own.cost_per_hour)
        self.assertEqual(found[Way.ANY].cost_per_hour, plan.cost_per_hour)
        self.assertTrue(check(ASKED, plan).holds)

    def test_larger_has_more_of_both_and_more_cpu_less_memory_for_it(self) -> None:
        """Of a plan of small nodes, the large type is larger, the quick one has more CPU for its memory, the wide one is neither."""
        self.assertEqual(allowed_types(ASKED, {"small"}, Way.LARGER), {"large"})
        self.assertEqual(allowed_types(ASKED, {"small"}, Way.CPU), {"quick"})
        self.assertEqual(allowed_types(ASKED, {"small"}, Way.MORE), {"small"})
        none = next(own for own in ways(ASKED, fit(ASKED, params=QUICK), params=QUICK, known=[*Way][:1]))
        self.assertEqual(none.way, Way.LARGER)

    def test_what_can_run_on_none_of_them_keeps_the_type_that_it_has(self) -> None:
        """A workload bound to the plan's small type keeps it on every way, so that the way is not shut by it."""
        bound = items({(900, 1500): 2}, RESOURCES)
        bound[0] |= {"instance_types": ["small"]}
        own = problem(TYPES, bound, resources=RESOURCES)
        self.assertEqual(allowed_types(own, {"small"}, Way.LARGER), {"large", "small"})
