"""An address plan carries what was asked for in the smallest ranges, takes all the room there is, and moves nothing for a new zone."""

import random
import unittest
from collections.abc import Sequence
from dataclasses import replace
from ipaddress import ip_network
from itertools import combinations

from rombel.addressing import (
    Addresses,
    FreeSpace,
    Network,
    Pods,
    RegionNeed,
    Role,
    TodayRange,
    Used,
    ZoneNeed,
    address_plan,
    check_today,
)
from rombel.addressing.plan import statement_faults

PARENT = ip_network("10.64.0.0/12")


def need(*nodes: tuple[int, int], most_pods: int = 110) -> RegionNeed:
    """Return zones with so many nodes now and grown."""
    return RegionNeed(tuple(ZoneNeed(f"z{n}", now, grown) for n, (now, grown) in enumerate(nodes)), most_pods)


def random_case(rng: random.Random) -> tuple[Addresses, RegionNeed]:
    """Return what is stated and needed, of any kind."""
    zones = [(now, now + rng.randint(0, 40)) for now in (rng.randint(0, 90) for _ in range(rng.randint(1, 5)))]
    used = tuple(
        Used(ip_network(((10 << 24) + (64 << 16) + (rng.randrange(4096) << 8), 24))) for _ in range(rng.randint(0, 9))
    )
    parents: tuple[Network, ...] = (PARENT, ip_network("fd00:1::/48")) if rng.random() < 0.4 else (PARENT,)
    stated = Addresses(parents, used, rng.choice(list(Pods)), rng.random() < 0.5, rng.randint(1, 5000), rng.random() < 0.5,
                       rng.randint(0, 3), rng.randint(0, 9), rng.randint(0, 6))  # fmt: skip
    return stated, need(*zones, most_pods=rng.choice((8, 32, 110, 250)))


def any_placement(free: Sequence[Network], prefixes: Sequence[int]) -> bool:
    """Return whether aligned ranges of these lengths can all be placed, by trying every place for each."""
    if not prefixes:
        return True
    first, *rest = prefixes
    for around in free:
        if around.prefixlen <= first:
            for place in around.subnets(new_prefix=first):
                left = [each for each in free if each != around]
                left += [] if place == around else list(around.address_exclude(place))  # type: ignore[arg-type]
                if any_placement(left, rest):
                    return True
    return False


class TestPlan(unittest.TestCase):
    def test_ranges_are_apart_inside_the_parent_aligned_and_carry_what_they_were_asked_for(self) -> None:
        rng = random.Random(11)
        for _ in range(120):
            stated, region = random_case(rng)
            for plan in address_plan(stated, region):
                self.assertEqual(plan.missing, ())
                taken = [entry.kept for entry in plan.ranges]
                elsewhere = [u.range for u in stated.used if u.range.version == plan.parent.version]
                for one, other in combinations([*taken, *plan.free], 2):
                    self.assertFalse(one.overlaps(other))
                for each in (*taken, *plan.free):
                    self.assertTrue(each.subnet_of(plan.parent))  # type: ignore[arg-type]
                    self.assertFalse(any(each.overlaps(used) for used in elsewhere))
                inside = {used for used in elsewhere if used.overlaps(plan.parent)}
                whole = sum(each.num_addresses for each in (*taken, *plan.free, *inside))
                self.assertEqual(whole, plan.parent.num_addresses)
                for entry in plan.ranges:
                    self.assertEqual(entry.range.network_address, entry.kept.network_address)
                    for network, asked in ((entry.range, entry.want.now), (entry.kept, entry.want.grown)):
                        # The smallest power of two: half of it would not do.
                        self.assertLessEqual(asked, network.num_addresses)
                        self.assertGreater(max(2, 2 * asked), network.num_addresses)

    def test_one_more_zone_moves_no_range(self) -> None:
        rng = random.Random(12)
        for _ in range(60):
            stated, region = random_case(rng)
            fewer = replace(region, zones=region.zones[:-1])
            for before, after in zip(address_plan(stated, fewer), address_plan(stated, region), strict=True):
                self.assertEqual(after.ranges[: len(before.ranges)], before.ranges)

    def test_all_that_can_be_placed_is_placed(self) -> None:
        """Against trying every place: in any order of the requests, with holes in the parent."""
        rng = random.Random(13)
        full = 0
        for _ in range(250):
            parent = ip_network("10.0.0.0/28")
            used = [ip_network(f"10.0.0.{rng.randrange(16)}/32") for _ in range(rng.randint(0, 3))]
            prefixes = [rng.choice((29, 30, 31, 32)) for _ in range(rng.randint(1, 6))]
            space = FreeSpace(parent, used)
            free = space.free
            placed = [space.take(prefix) for prefix in prefixes]
            self.assertEqual(None not in placed, any_placement(free, prefixes), (used, prefixes))
            full += None in placed
        self.assertGreater(full, 20)

    def test_the_ceiling_is_that_of_the_range_that_runs_out_first_and_surge_needs_blocks_too(self) -> None:
        # By hand: 256 blocks of /24 fill a /16, so 256 nodes leave no block for one more.
        stated = Addresses((ip_network("10.0.0.0/8"),), services=500)
        (plan,) = address_plan(stated, need((256, 256)))
        (ceiling,) = plan.ceilings
        self.assertEqual((ceiling.nodes, ceiling.decided_by), (256, "z0 pods"))
        (surging,) = address_plan(stated, need((257, 257)))
        pods = next(entry for entry in surging.ranges if entry.want.role is Role.PODS)
        self.assertEqual((pods.range.prefixlen, surging.ceilings[0].nodes), (15, 508))
        self.assertEqual(surging.ceilings[0].decided_by, "z0 nodes")
        # What the provider keeps of each range counts: 16 addresses less 5 less two of the plan's own carry nine nodes.
        small = Addresses((ip_network("10.0.0.0/8"),), pods=Pods.FLAT, lost=5)
        (few,) = address_plan(small, need((9, 9)))
        nodes = next(entry for entry in few.ranges if entry.want.role is Role.NODES)
        self.assertEqual((nodes.range.prefixlen, nodes.nodes), (28, 9))

    def test_a_parent_without_room_says_what_is_missing_and_which_would_do(self) -> None:
        stated = Addresses((ip_network("10.0.0.0/20"),), services=100)
        (plan,) = address_plan(stated, need((20, 40), (20, 40)))
        self.assertEqual({want.name for want in plan.missing}, {"z0 pods", "z1 pods"})
        self.assertEqual([(c.zone, c.nodes) for c in plan.ceilings], [("z0", 0), ("z1", 0)])
        (fault,) = plan.faults
        self.assertIn("/16", fault.fix)
        (better,) = address_plan(replace(stated, parents=(ip_network("10.0.0.0/16"),)), need((20, 40), (20, 40)))
        self.assertEqual(better.faults, ())
        doubled = Addresses((PARENT, ip_network("10.0.0.0/8")), (Used(ip_network("10.0.0.0/8"), "all"),))
        codes = [fault.code for fault in statement_faults(doubled)]
        self.assertEqual(codes, ["addresses.parents", "addresses.used", "addresses.used"])

    def test_growth_stays_beside_what_grows(self) -> None:
        (plan,) = address_plan(Addresses((PARENT,)), need((60, 200)))
        for entry in plan.ranges:
            self.assertTrue(entry.range.subnet_of(entry.kept))  # type: ignore[arg-type]
            if entry.want.each:
                self.assertGreaterEqual(entry.nodes or 0, 60)
                self.assertGreaterEqual(entry.nodes_grown or 0, 200)


class TestToday(unittest.TestCase):
    def today(self, **ranges: str) -> list[TodayRange]:
        """Return the ranges of one zone and of services by role."""
        return [
            TodayRange(Role(role), "" if role == "services" else "z0", ip_network(text))
            for role, text in ranges.items()
        ]

    def test_the_least_change_widens_where_it_can_and_adds_where_it_cannot(self) -> None:
        stated = Addresses((ip_network("10.0.0.0/8"),), services=200, lost=5)
        now = self.today(nodes="10.0.0.0/26", pods="10.1.0.0/18", services="10.9.0.0/24")
        found = check_today(stated, need((60, 100)), now)
        # By hand: 64 blocks of /24 in a /18 carry 64 nodes, 64 addresses less 7 carry 57.
        self.assertEqual([(c.nodes, c.decided_by) for c in found.ceilings], [(57, "z0 nodes")])
        self.assertEqual(
            [(str(c.was), str(c.range)) for c in found.changes],
            [("10.1.0.0/18", "10.1.0.0/17"), ("10.0.0.0/26", "10.0.0.0/25")],
        )
        # Its neighbour is in use: what is missing, 36 nodes, gets the smallest range of its own that carries it.
        hemmed = replace(stated, used=(Used(ip_network("10.1.64.0/18"), "old"),))
        pods = check_today(hemmed, need((60, 100)), now).changes[0]
        self.assertEqual((pods.was, pods.range.prefixlen), (None, 18))
        self.assertEqual(check_today(stated, need((10, 50)), now).changes, ())
        # What the changes make carries the plan.
        after = [*now, *(TodayRange(c.role, c.zone, c.range) for c in (pods,))]
        self.assertEqual([c.role for c in check_today(hemmed, need((60, 100)), after).changes], [Role.NODES])

    def test_overlaps_and_ranges_outside_are_told_and_a_range_that_is_missing_allows_no_node(self) -> None:
        stated = Addresses((ip_network("10.0.0.0/9"),), (Used(ip_network("10.1.32.0/20"), "depot"),), services=200)
        now = self.today(nodes="10.1.0.0/18", pods="10.200.0.0/16")
        found = check_today(stated, need((5, 5)), now)
        self.assertEqual([fault.code for fault in found.faults], ["addresses.outside", "addresses.overlap"])
        self.assertIn("depot 10.1.32.0/20", found.faults[1].reason)
        none = check_today(stated, need((5, 5)), now[:1])
        self.assertEqual([(c.nodes, c.decided_by) for c in none.ceilings], [(0, "z0 pods")])


if __name__ == "__main__":
    unittest.main()
