"""Sizing to targets, against every choice tried; why a target is out of reach; several regions."""

import random
from dataclasses import replace
from decimal import Decimal
from itertools import product
from unittest import TestCase

from rombel.availability import PlacedNode, PlacedWorkload, Placement, evaluate
from rombel.availability.frontier import budgets, unpromised
from rombel.availability.improvements import deal
from rombel.availability.options import Candidate, States, standing_total
from rombel.availability.regions import RegionTimes, Together, across
from rombel.availability.sizing import least_cost, size
from rombel.availability.unreachable import unreachable
from rombel.model.failure import Failure, FailureData, FailureKind, failure_of
from rombel.model.fit_problem import Survival
from rombel.model.journey import Dependency, Journey, Reach, read_chain

ZONES = ("a", "b", "c")
DATA = FailureData()


def candidates(seed: int, count: int) -> list[Candidate]:
    rng = random.Random(seed)
    found = []
    for number in range(count):
        replicas = rng.randint(3, 12)
        # Seven of ten are enough, rounded up.
        needed = max(1, -(-replicas * 7 // 10))
        found.append(Candidate(f"w/{number}", replicas, needed, rng.uniform(0.02, 0.2), per_node=rng.choice((1, 2))))
    return found


def journey(name: str, target: str, chain: str) -> Journey:
    return Journey(name, Decimal(target), read_chain(chain))


class TestSizing(TestCase):
    def test_against_every_choice(self) -> None:
        """The answer meets the targets, costs no more than the cheapest of all choices, and the floor is never above."""
        for seed, targets in ((1, ("99.9965", "99.99")), (2, ("99.996", "99.9968")), (3, ("99.9969", "99.95"))):
            found = candidates(seed, 3)
            journeys = [
                journey("j", targets[0], "w/0, w/1, mail"),
                journey("k", targets[1], "w/1, any of (w/0, w/2)"),
            ]
            mail = Dependency("mail", Reach.SPREAD, failure_of(0.002, 600))
            states = States(ZONES, DATA, [mail], [30.0])
            # A few dozen choices for each of three workloads: their product can be gone through.
            rows = [states.options(entry) for entry in found]
            cheapest = min(
                sum(option.cost for option in choice)
                for choice in product(*rows)
                if all(
                    states.unavailability(j, {f"w/{n}": option.unavailability for n, option in enumerate(choice)})
                    <= j.allowed
                    for j in journeys
                )
            )
            answer = size(found, journeys, [mail], ZONES, DATA)
            self.assertEqual(answer.unmet, ())
            self.assertTrue(all(answer.unavailability[j.name] <= j.allowed for j in journeys))
            self.assertGreaterEqual(answer.cost, cheapest - 1e-9)
            # Not proved to be the optimum by the core, and nearly it: two in a hundred.
            self.assertLessEqual(answer.cost, cheapest * 1.02 + 1e-9)
            self.assertLessEqual(answer.floor, cheapest + 1e-9)

    def test_large_cases_stay_near_their_floor(self) -> None:
        found = candidates(9, 40)
        names = [entry.name for entry in found]
        # Each third of the forty is needed by one journey.
        journeys = [journey(f"j{k}", t, ", ".join(names[k::3])) for k, t in enumerate(("99.996", "99.99", "99.9"))]
        answer = size(found, journeys, [], ZONES, DATA)
        self.assertEqual(answer.unmet, ())
        self.assertFalse(answer.exact)
        self.assertLessEqual(answer.cost - answer.floor, 0.15 * answer.cost + 0.1)

    def test_promises_are_kept_and_tighter_targets_cost_more(self) -> None:
        found = [replace(entry, at_least=Survival.LANDING) for entry in candidates(4, 5)]
        names = ", ".join(entry.name for entry in found)
        spent = []
        for target in ("99.99", "99.996", "99.9965"):
            answer = size(found, [journey("j", target, names)], [], ZONES, DATA)
            self.assertTrue(all(entry.how in (Survival.LANDING, Survival.STANDING) for entry in answer.sizes.values()))
            spent.append(answer.cost)
        self.assertEqual(spent, sorted(spent))

    def test_zone_loss_sizing(self) -> None:
        """Fewest replicas of which N are left after any one of Z zones: 15, 20, 10 and 14 (arithmetic)."""
        for needed, zones, total in ((10, 3, 15), (10, 2, 20), (7, 4, 10), (9, 3, 14)):
            self.assertEqual(standing_total(needed, zones), total)
            self.assertGreaterEqual(total - max(deal(total, zones)), needed)

    def test_bound_by_dynamic_programming(self) -> None:
        rows = [[(0.0, 5.0), (2.0, 1.0), (3.0, 0.5)], [(0.0, 4.0), (1.0, 2.0), (5.0, 0.1)]]
        cheapest = min(a[0] + b[0] for a in rows[0] for b in rows[1] if a[1] + b[1] <= 3.0)
        self.assertLessEqual(least_cost(rows, 3.0, 8.0), cheapest)
        # The bound rounds each cost down to one of 600 steps: it loses at most one a row.
        self.assertGreater(least_cost(rows, 3.0, 8.0), cheapest - 2 * 8.0 / 600 - 1e-9)


class TestOutOfReach(TestCase):
    def test_an_outside_dependency_below_target(self) -> None:
        card = Dependency("card", Reach.OUTSIDE, failure_of(2e-3, 900))
        asked = journey("j", "99.95", "w/0, card")
        answer = size(candidates(1, 1), [asked], [card], ZONES, DATA)
        self.assertEqual([entry.journey for entry in answer.unmet], ["j"])
        why = unreachable(candidates(1, 1), asked, [card], ZONES, DATA)
        self.assertIn("'card' alone is down 86.4 min a month; the target allows 21.6 min", why.reasons[0])
        # 86.4 minutes down of a month's 43,200 are 2 in 1,000, as the card is said to be.
        first = why.remedies[0]
        self.assertIn("Bring 'card' to", first.words)
        self.assertLessEqual(first.least, asked.allowed)

    def test_a_region_of_one_zone(self) -> None:
        asked = journey("j", "99.99", "w/0")
        why = unreachable(candidates(1, 1), asked, [], ("a",), DATA)
        self.assertIn("one zone", why.reasons[0])
        self.assertTrue(any(way.suffices and "2 zones" in way.words for way in why.remedies))

    def test_every_point_of_the_frontier_can_be_reached(self) -> None:
        found = unpromised(candidates(5, 4))
        asked = journey("j", "99.9", ", ".join(entry.name for entry in found))
        costs = []
        # Every third point: neighbours differ by a replica, and each is sized anew.
        for point in budgets(found, [asked], [], ZONES, DATA)[::3]:
            answer = size(found, point, [], ZONES, DATA)
            self.assertEqual(answer.unmet, ())
            costs.append(answer.cost)
        self.assertEqual(costs, sorted(costs))
        # The first point asks for what is there without any promise.
        self.assertEqual(costs[0], 0)


class TestRegions(TestCase):
    def setUp(self) -> None:
        # Nothing fails but whole regions, one hour in a thousand: what is left is the arithmetic of regions.
        failures = {thing: Failure(0, 60) for thing in FailureKind} | {FailureKind.REGION: failure_of(1e-3, 7200)}
        self.data = FailureData(failures=failures, zone_beta=0, region_beta=0)
        nodes = (PlacedNode("a", {"w/a": 2}),)
        self.region = evaluate(Placement(("a",), nodes, {"w/a": PlacedWorkload("w/a", 1)}), self.data)
        self.asked = journey("j", "99.9", "w/a")

    def test_two_sites_behind_one_entry(self) -> None:
        """Sites of 99.9 % behind a front of 99.99 %: 0.9998990001, not 0.999999 (IEC 61078), when nothing is lost in between."""
        times = RegionTimes(entry_away=1e-4, redirect_s=0)
        found = across([self.region, self.region], self.asked, Together.ALL, times)
        self.assertAlmostEqual(1 - found.unavailability, 0.9998990001, places=10)

    def test_common_cause_of_regions(self) -> None:
        """With a beta of 0.1: ((1 - b) u)^2 + b u = 1.0081e-4 (IEC 61508-6)."""
        data = replace(self.data, region_beta=0.1)
        region = evaluate(self.region.placement, data)
        found = across([region, region], self.asked, Together.ALL, RegionTimes(entry_away=0, redirect_s=0))
        self.assertAlmostEqual(found.unavailability, 1.0081e-4, delta=5e-9)

    def test_switching_takes_its_time(self) -> None:
        """A switch of 900 s in outages of 7200 s leaves an eighth of them; data behind by 30 s is lost at each switch."""
        found = across([self.region, self.region], self.asked, Together.STANDBY, RegionTimes(switch_s=900, lag_s=30))
        self.assertAlmostEqual(found.unavailability, 1e-3 / 8 + 1e-6, delta=1e-6)
        often = self.data.failures[FailureKind.REGION].per_year
        self.assertAlmostEqual(found.lost_data_s_per_year / (30 * often), 1, delta=0.01)

    def test_any_one_of_several_may_vanish(self) -> None:
        """Alike, n regions bear one part in n - 1 each; with shares of 60, 20 and 20 % the first must bear three quarters."""
        for count, part in ((1, 1.0), (2, 1.0), (3, 0.5), (5, 0.25)):
            self.assertAlmostEqual(RegionTimes().bears(count)[0], part)
        uneven = RegionTimes(first_share=0.6).bears(3)
        self.assertAlmostEqual(uneven[0], 0.75)
        self.assertAlmostEqual(uneven[1], 0.5)

    def test_what_stands_outside_is_shared(self) -> None:
        card = Dependency("card", Reach.OUTSIDE, failure_of(2e-4, 900))
        region = evaluate(self.region.placement, self.data, [card])
        asked = journey("j", "99.9", "w/a, card")
        found = across([region, region], asked, Together.ALL, RegionTimes(entry_away=0, redirect_s=0))
        # Both regions at once, or the card: it is counted once and not once a region.
        self.assertAlmostEqual(found.unavailability, 1 - (1 - 1e-6) * (1 - 2e-4), places=12)
