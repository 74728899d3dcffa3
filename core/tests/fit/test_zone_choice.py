"""Charges of zones: which zones are used is part of what is minimised, and what cannot matter does not."""

import unittest
from dataclasses import replace
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.fit import FitParams, Progress, SearchParams, SilentObserver, check, fit, proved_floor, quick_floor
from rombel.formats import read_problem, read_solution, write_problem, write_solution
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitStatus
from tests.problems import problem

LITTLE = FitParams(search=SearchParams(work=200_000), chunks=2)


def charged(base: FitProblem, *prices: str) -> FitProblem:
    """Return a problem whose zones cost so much each."""
    charges = {zone: (("gateway", Decimal(price)),) for zone, price in zip(base.zones, prices, strict=True)}
    return replace(base, zone_charges=charges)


class TestZoneChoice(unittest.TestCase):
    def two(self, survive: str, **own: object) -> FitProblem:
        """Return two zones, nodes of four units at 1 an hour, and four replicas of two units."""
        work = [{"name": "w/a", "replicas": 4, "request": {"x": 2}, **own}]
        return problem([("t", [4], "1")], work, zones=("amber", "birch"), survive=survive)

    def test_fewer_zones_where_nothing_asks_for_more_by_hand(self) -> None:
        """Two nodes are 2 an hour; the cheaper zone is 0.3. A spread over both zones adds the other's 0.5, standing doubles the nodes."""
        for survive, own, cost, used in (
            ("none", {}, "2.3", {"amber"}),
            ("none", {"zone_skew": 1}, "2.8", {"amber", "birch"}),
            ("standing", {}, "4.8", {"amber", "birch"}),
            ("growing", {}, "2.3", {"amber"}),
        ):
            with self.subTest(survive=survive, own=own):
                asked = charged(self.two(survive, **own), "0.3", "0.5")
                found = fit(asked, params=LITTLE)
                self.assertEqual((found.cost_per_hour, found.status), (Decimal(cost), FitStatus.OPTIMAL))
                self.assertEqual({node.zone for node in found.nodes}, used)
                self.assertTrue(check(asked, found).holds)
                assert found.certificate is not None
                self.assertEqual(proved_floor(asked, found.certificate), found.cost_per_hour)
                self.assertLessEqual(quick_floor(asked).floor_per_hour, found.cost_per_hour)
                # Written and read again, problem and proof are the same.
                self.assertEqual(read_problem(write_problem(asked)), asked)
                again = read_solution(write_solution(found))
                assert again.certificate is not None
                self.assertEqual(proved_floor(asked, again.certificate), found.cost_per_hour)

    def test_order_and_scale_of_prices_change_nothing(self) -> None:
        base = charged(self.two("none"), "0.3", "0.5")
        best = fit(base, params=LITTLE).cost_per_hour
        turned = replace(base, zones=base.zones[::-1])
        self.assertEqual(fit(turned, params=LITTLE).cost_per_hour, best)
        types = tuple(
            replace(e, offers=tuple(replace(o, price_per_hour=7 * o.price_per_hour) for o in e.offers))
            for e in base.instance_types
        )
        dear = charged(replace(base, instance_types=types), "2.1", "3.5")
        self.assertEqual(fit(dear, params=LITTLE).cost_per_hour, 7 * best)

    def test_a_stop_keeps_the_best_so_far_and_says_so(self) -> None:
        class Impatient(SilentObserver):
            def on_progress(self, progress: Progress) -> bool:
                return progress.cost_per_hour > 0

        asked = charged(self.two("none"), "0.3", "0.5")
        found = fit(asked, params=LITTLE, observer=Impatient())
        self.assertIn(found.status, (FitStatus.STOPPED, FitStatus.OPTIMAL))
        self.assertTrue(check(asked, found).holds)
        self.assertLessEqual(found.floor_per_hour, found.cost_per_hour)

    def test_beyond_a_few_zones_the_floor_counts_the_cheapest_that_are_needed(self) -> None:
        zones = tuple(f"z{n}" for n in range(8))
        base = problem(
            [("t", [4], "1")], [{"name": "w/a", "replicas": 1, "request": {"x": 2}}], zones=zones, survive="none"
        )
        asked = charged(base, *(f"0.{n + 1}" for n in range(8)))
        found = fit(asked, params=LITTLE)
        self.assertGreaterEqual(found.floor_per_hour, Decimal("1.1"))
        self.assertLessEqual(found.floor_per_hour, found.cost_per_hour)
        self.assertTrue(check(asked, found).holds)

    def test_a_charge_of_a_zone_that_is_not_there_or_is_no_price_is_refused_with_its_place(self) -> None:
        text = write_problem(charged(self.two("none"), "0.3", "0.5"))
        for old, new, path in (
            ('"gateway": "0.3"', '"gateway": "-1"', "zone_charges.amber.gateway"),
            ('"birch": {', '"nowhere": {', "zone_charges"),
        ):
            with self.assertRaises(InputRefused) as refused:
                read_problem(text.replace(old, new))
            self.assertTrue(any(fault.path.startswith(path) for fault in refused.exception.faults), refused.exception)


if __name__ == "__main__":
    unittest.main()
