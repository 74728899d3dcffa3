"""From what stands to what is planned: nothing is done before what it needs, and nothing twice."""

from __future__ import annotations

import random
from collections import Counter
from decimal import Decimal
from graphlib import TopologicalSorter
from typing import Any
from unittest import TestCase

from hypothesis import given
from hypothesis import strategies as st

from rombel.building import (
    Change,
    Doing,
    PartKind,
    Span,
    Work,
    change_list,
    expected_end,
    finished_at,
    parts_of,
    risky,
    share_done,
    standing_of,
)
from rombel.formats import read_manifests
from rombel.formats.build_json import read_build, write_build

ZONES = ("amber", "birch")


def pool(kind: str, zone: str, nodes: int, **more: Any) -> dict[str, Any]:
    """Return a pool of the JSON."""
    return {
        "instance_type": kind,
        "purchase": "on-demand",
        "zone": zone,
        "nodes": nodes,
        "least": 0,
        "most": 9,
        **more,
    }


def cluster(pools: list[dict[str, Any]], version: str = "1.31") -> dict[str, Any]:
    """Return a cluster with ranges, gateways and an add-on."""
    ranges = [
        {"name": f"{zone} {role}", "carries": role, "zone": zone, "range": f"10.{place}.{number}.0/24"}
        for place, zone in enumerate(ZONES)
        for number, role in enumerate(("nodes", "pods", "public"))
    ]
    return {
        "cluster": "quay",
        "region": "north-sound",
        "control_plane": {"members": 3, "version": version},
        "pools": pools,
        "ranges": ranges,
        "gateways": [{"zone": zone} for zone in ZONES],
        "add_ons": [{"name": "net/agent"}, {"name": "net/dns", "needs": ["net/agent"]}],
    }


# At most four pools of two types in two zones, also of no node and of an older version; a type in a zone once.
pools = st.lists(
    st.builds(
        pool,
        st.sampled_from(["tern-4", "auk-8"]),
        st.sampled_from(ZONES),
        st.integers(0, 4),
        version=st.sampled_from(["1.30", "1.31"]),
    ),
    max_size=4,
    unique_by=lambda own: (own["instance_type"], own["zone"]),
)


def applied(standing: dict[str, Any], changes: tuple[Change, ...], wanted: dict[str, Any]) -> dict[str, Any]:
    """Return the facts of what stands once the list was worked off, one entry after the other."""
    found = {key: dict(part.facts) for key, part in parts_of(standing).items()}
    for change in changes:
        if change.doing is Doing.CREATE:
            # What stands already is not created again.
            assert change.key not in found
            found[change.key] = dict(change.part.facts)
        elif change.doing is Doing.REMOVE:
            del found[change.key]
        elif change.doing is Doing.CHANGE:
            found[change.key] |= change.part.facts
    return found


class TestChanges(TestCase):
    """A change list."""

    @given(pools, pools)
    def test_worked_off_it_leaves_what_is_wanted(self, before: Any, after: Any) -> None:
        """Whatever stands, the list leads to what is wanted, and from there nothing is left to do."""
        standing, wanted = cluster(before, "1.30"), cluster(after)
        changes = change_list(parts_of(wanted), parts_of(standing))
        facts = {key: dict(part.facts) for key, part in parts_of(wanted).items()}
        self.assertEqual(applied(standing, changes, wanted), facts)
        # Once it stands, a second list has nothing to do: working one off twice harms nobody.
        again = change_list(parts_of(wanted), parts_of(wanted))
        self.assertEqual({change.doing for change in again}, {Doing.KEEP})

    @given(pools, pools)
    def test_its_order_is_one_of_the_dependencies(self, before: Any, after: Any) -> None:
        """The order is a topological one of the needs, in which the standard library finds no cycle either."""
        changes = change_list(parts_of(cluster(after)), parts_of(cluster(before, "1.30")))
        # Raises where the needs go in a circle.
        TopologicalSorter({change.key: change.needs for change in changes}).prepare()
        places = {change.key: place for place, change in enumerate(changes)}
        # No key twice: a need would not say which of the two it means.
        self.assertEqual(len(places), len(changes))
        for change in changes:
            self.assertTrue(all(places[need] < places[change.key] for need in change.needs))

    @given(pools, pools)
    def test_there_and_back_costs_nothing(self, before: Any, after: Any) -> None:
        """What a list adds to the bill is the price of what is wanted less that of what stands; the way back takes it off."""
        prices = {f"pool/{k}/on-demand/{z}": Decimal(n) for n, k in ((3, "tern-4"), (5, "auk-8")) for z in ZONES}
        one, other = parts_of(cluster(before)), parts_of(cluster(after))
        there = sum(change.cost_per_hour for change in change_list(other, one, prices=prices))
        back = sum(change.cost_per_hour for change in change_list(one, other, prices=prices))
        price = {"tern-4": 3, "auk-8": 5}
        one_way = sum(own["nodes"] * price[own["instance_type"]] for own in after)
        other_way = sum(own["nodes"] * price[own["instance_type"]] for own in before)
        self.assertEqual(there, -back)
        # Reckoned a second time from the pools alone, without parts and without a list.
        self.assertEqual(there, one_way - other_way)

    def test_new_nodes_stand_before_old_ones_go(self) -> None:
        """Replicas have somewhere to go: no node is taken away before every new one stands, a pool goes after its nodes."""
        changes = change_list(
            parts_of(cluster([pool("auk-8", "amber", 2)])), parts_of(cluster([pool("tern-4", "amber", 3)]))
        )
        order = [(change.doing, change.part.kind) for change in changes if change.doing is not Doing.KEEP]
        # Between the last new node and the first old one that goes, replicas move.
        last_new = max(i for i, own in enumerate(order) if own == (Doing.CREATE, PartKind.NODE))
        first_gone = min(i for i, own in enumerate(order) if own == (Doing.REMOVE, PartKind.NODE))
        self.assertLess(last_new, first_gone)
        self.assertEqual(order[-1], (Doing.REMOVE, PartKind.POOL))

    def test_nodes_of_a_pool_change_one_after_the_other_behind_the_control_plane(self) -> None:
        """A new version reaches the control plane first, then each pool node by node: the order that the API's version skew asks for.

        Source: Kubernetes documentation, Version Skew Policy (a node is never newer than the control plane); from memory.
        """
        before = cluster([pool("tern-4", "amber", 3, version="1.30")], "1.30")
        changes = change_list(parts_of(cluster([pool("tern-4", "amber", 3, version="1.31")])), parts_of(before))
        doing = [change.key for change in changes if change.doing is Doing.CHANGE]
        key = "tern-4/on-demand/amber"
        self.assertEqual(
            doing, ["control-plane", f"pool/{key}", f"node/{key}/001", f"node/{key}/002", f"node/{key}/003"]
        )
        works = [change.work for change in changes]
        # With twenty hands and a second for each, the ends show that no two were done at once.
        ends = finished_at(works, 20, lambda work: 1.0)
        self.assertEqual([ends[key] for key in doing], [1, 2, 3, 4, 5])

    def test_everything_goes_in_the_safe_order(self) -> None:
        """With nothing wanted, nodes go before pools, pools before the control plane and gateways, ranges last."""
        changes = change_list({}, parts_of(cluster([pool("tern-4", zone, 2) for zone in ZONES])))
        self.assertEqual({change.doing for change in changes}, {Doing.REMOVE})
        places = {kind: [i for i, change in enumerate(changes) if change.part.kind is kind] for kind in PartKind}
        self.assertLess(max(places[PartKind.NODE]), min(places[PartKind.CONTROL_PLANE]))
        self.assertLess(max(places[PartKind.POOL]), min(places[PartKind.CONTROL_PLANE]))
        self.assertLess(max(places[PartKind.CONTROL_PLANE]), min(places[PartKind.RANGE]))
        for zone in ZONES:
            own = {change.part.kind: place for place, change in enumerate(changes) if change.part.zone == zone}
            self.assertLess(own[PartKind.POOL], own[PartKind.GATEWAY])
        self.assertEqual(risky(changes)[0][0].part.kind, PartKind.CONTROL_PLANE)

    def test_volumes_go_last_and_only_when_it_is_said(self) -> None:
        """A volume outlives the cluster whatever becomes of it; said to go, it goes once nothing else stands, and is the gravest entry."""
        standing = parts_of(
            cluster([pool("tern-4", "amber", 2)]) | {"volumes": [{"name": "data-0", "size_gib": 20, "zone": "amber"}]}
        )
        for wanted in ({}, parts_of(cluster([pool("auk-8", "amber", 1)]))):
            kept = [c for c in change_list(wanted, standing) if c.part.kind is PartKind.VOLUME]
            self.assertEqual([c.doing for c in kept], [Doing.KEEP])
        gone = change_list({}, standing, volumes=True)
        self.assertEqual((gone[-1].key, gone[-1].doing), ("volume/data-0", Doing.REMOVE))
        # It waits for every other entry, not for its own zone's alone.
        self.assertEqual({*gone[-1].needs}, {change.key for change in gone[:-1]})
        self.assertEqual(risky(gone)[0][0].part.kind, PartKind.VOLUME)

    def test_a_listing_says_what_stands_of_nodes_and_nothing_of_the_rest(self) -> None:
        """Nodes are counted to the pools of their type; what a listing does not tell is kept, and said to be taken to stand."""
        wanted = cluster([pool("tern-4", "amber", 2), pool("tern-4", "amber", 1, purchase="interruptible")])
        nodes = "\n---\n".join(
            f"apiVersion: v1\nkind: Node\nmetadata:\n  name: n{i}\n  labels:\n    node.kubernetes.io/instance-type: {kind}\n"
            f"    topology.kubernetes.io/zone: amber\nstatus:\n  allocatable: {{cpu: 4, memory: 8Gi, pods: 110}}"
            for i, kind in enumerate(("tern-4", "tern-4", "tern-4", "tern-4", "skua-8"))
        )
        running = read_manifests(nodes).running
        assert running is not None
        standing, taken = standing_of(running, wanted)
        changes = change_list(parts_of(wanted), parts_of(standing), taken=taken)
        counts = Counter((change.part.kind, change.doing) for change in changes)
        # Two of three and one of three: what runs of a type is dealt to the pools that want it; the rest goes.
        self.assertEqual(counts[PartKind.NODE, Doing.KEEP], 3)
        self.assertEqual(counts[PartKind.NODE, Doing.REMOVE], 2)
        plane = next(change for change in changes if change.part.kind is PartKind.CONTROL_PLANE)
        self.assertIn("does not tell", plane.reason)
        # What was taken from a listing is a file like any other.
        self.assertEqual(read_build(write_build(standing))["pools"], standing["pools"])


class TestDurations(TestCase):
    """How long it takes."""

    @given(st.integers(1, 30), st.integers(1, 8), st.integers(0, 1000))
    def test_the_end_lies_between_the_bounds_of_list_scheduling(self, count: int, at_once: int, seed: int) -> None:
        """No schedule beats the longest chain or the work over the places, and a list schedule stays below their sum.

        Source: R. L. Graham, Bounds on Multiprocessing Timing Anomalies, SIAM J. Appl. Math. 17 (1969).
        """
        rng = random.Random(seed)
        works = [
            # Needs point backwards only, so that every random list has an order.
            Work(str(i), tuple(str(j) for j in range(i) if rng.random() < 0.1), Span(rng.randint(1, 9), 20))
            for i in range(count)
        ]
        ends = finished_at(works, at_once, lambda work: work.span.median_s)
        chain: dict[str, float] = {}
        for key in TopologicalSorter({work.key: work.needs for work in works}).static_order():
            work = works[int(key)]
            chain[key] = work.span.median_s + max((chain[need] for need in work.needs), default=0.0)
        whole, longest, last = sum(work.span.median_s for work in works), max(chain.values()), max(ends.values())
        self.assertEqual(len(ends), count)
        self.assertGreaterEqual(last, max(longest, whole / at_once) - 1e-9)
        self.assertLessEqual(last, whole / at_once + longest * (1 - 1 / at_once) + 1e-9)
        # With a hand for each, nothing waits for anything but its needs.
        if at_once >= count:
            self.assertAlmostEqual(last, longest)

    def test_a_cluster_stands_within_the_time_that_is_usual(self) -> None:
        """A cluster of thirty nodes takes 18 to 45 minutes: common practice, no source."""
        changes = change_list(parts_of(cluster([pool("tern-4", zone, 15) for zone in ZONES])), {})
        found = expected_end([change.work for change in changes])
        self.assertLess(18 * 60, found.median_s)
        self.assertLess(found.late_s, 45 * 60)
        self.assertTrue(found.early_s <= found.median_s <= found.late_s)

    def test_what_is_done_counts_by_its_time_and_leaves_less_to_wait_for(self) -> None:
        """The share goes from nothing to all, and never back, as more is done; with all done nothing is waited for."""
        works = [change.work for change in change_list(parts_of(cluster([pool("tern-4", z, 3) for z in ZONES])), {})]
        done = set[str]()
        shares = [share_done(works, done)]
        for work in works:
            done.add(work.key)
            shares.append(share_done(works, done))
        self.assertEqual((shares[0], shares[-1]), (0.0, 1.0))
        self.assertEqual(shares, sorted(shares))
        self.assertEqual(expected_end(works, done).late_s, 0.0)
        self.assertEqual(share_done([], ()), 1.0)
