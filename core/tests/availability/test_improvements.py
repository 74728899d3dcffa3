"""What would help a journey is worth what a placement that really has it shows, and moves nothing else."""

from collections import Counter
from dataclasses import replace
from decimal import Decimal
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from rombel.availability import PlacedNode, PlacedWorkload, Placement, evaluate
from rombel.availability.improvements import ANOTHER, deal, dealt, heaps_of, improvements, one_more
from rombel.model.failure import Failure, FailureData, FailureKind
from rombel.model.journey import Dependency, Journey, Reach, read_chain

DATA = FailureData(
    failures={
        **FailureData().failures,
        FailureKind.NODE: Failure(30, 3600 * 8),
        FailureKind.ZONE: Failure(6, 3600 * 10),
        FailureKind.REPLICA: Failure(200, 1800),
    }
)
NODES = tuple(PlacedNode(zone, {"w/a": 2, "w/b": 1}) for zone in ("x", "y", "y"))
PLACEMENT = Placement(
    ("x", "y"),
    NODES,
    {name: PlacedWorkload(name, 4, 600, 600) for name in ("w/a", "w/b")} | {"w/b": PlacedWorkload("w/b", 2, 600, 600)},
)
STORE = Dependency("store", Reach.ZONAL, Failure(2, 3600), "x")
MAIL = Dependency("mail", Reach.OUTSIDE, Failure(4, 3600))
JOURNEY = Journey("buy", Decimal("99.9"), read_chain("w/a, w/b, store, mail"))


def unavailability(placement: Placement, *dependencies: Dependency) -> float:
    return evaluate(placement, DATA, dependencies).unavailability_of(JOURNEY)[0]


class TestImprovements(TestCase):
    def setUp(self) -> None:
        self.found = improvements(evaluate(PLACEMENT, DATA, (STORE, MAIL)), JOURNEY)
        self.by = {(entry.kind, entry.name): entry.removes for entry in self.found}

    def test_each_is_the_difference_to_a_world_that_has_it(self) -> None:
        now = unavailability(PLACEMENT, STORE, MAIL)
        for name in ("w/a", "w/b"):
            self.assertAlmostEqual(
                self.by["replica", name], now - unavailability(one_more(PLACEMENT, name), STORE, MAIL)
            )
        for reach in (Reach.REGIONAL, Reach.SPREAD):
            other = unavailability(PLACEMENT, replace(STORE, reach=reach), MAIL)
            self.assertAlmostEqual(self.by[str(reach), "store"], now - other)

    def test_the_most_comes_first_and_only_what_can_be_moved_is_offered(self) -> None:
        removes = [entry.removes for entry in self.found]
        self.assertEqual(removes, sorted(removes, reverse=True))
        self.assertEqual(
            set(self.by),
            {
                ("replica", "w/a"),
                ("replica", "w/b"),
                ("regional", "store"),
                ("spread", "store"),
                ("zone", ANOTHER),
            },
        )

    def test_one_more_replica_goes_alone_to_the_zone_with_the_fewest(self) -> None:
        more = one_more(PLACEMENT, "w/a")
        self.assertEqual(more.nodes[:-1], PLACEMENT.nodes)
        self.assertEqual(more.nodes[-1], PlacedNode("x", {"w/a": 1}))


class TestDealing(TestCase):
    @given(st.integers(0, 60), st.integers(1, 7))
    def test_dealt_counts_add_up_and_differ_by_one_at_most(self, count: int, places: int) -> None:
        counts = deal(count, places)
        self.assertEqual((sum(counts), len(counts)), (count, places))
        self.assertLessEqual(max(counts) - min(counts), 1)
        self.assertEqual(counts, sorted(counts, reverse=True))

    @given(st.integers(0, 60), st.integers(1, 9))
    def test_heaps_add_up_and_are_as_few_as_the_most_on_a_node_allows(self, count: int, most: int) -> None:
        heaps = heaps_of(count, most)
        self.assertEqual(sum(heaps), count)
        self.assertTrue(all(0 < heap <= most for heap in heaps))
        self.assertEqual(len(heaps), -(-count // most))

    @given(st.integers(2, 5))
    def test_dealing_over_zones_keeps_every_replica_and_lets_a_lost_zone_land_outside_of_it(self, zones: int) -> None:
        names = tuple(f"z{number}" for number in range(zones))
        even = dealt(PLACEMENT, names)
        for workload in PLACEMENT.workloads:
            self.assertEqual(even.replicas(workload), PLACEMENT.replicas(workload))
            for zone in names:
                lost = sum(even.by_zone(workload)[zone])
                arrivals: Counter[str] = Counter()
                for number, replicas in even.arrivals[zone].items():
                    self.assertNotEqual(even.nodes[number].zone, zone)
                    arrivals.update(replicas)
                self.assertEqual(arrivals[workload], lost)
