"""Drills against published rules: spread, disruption budgets, versions, upgrade times; and what bad books are told."""

import json
import random
import unittest
from dataclasses import replace
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.formats import read_drill_book, write_drill_book
from rombel.model.demand import Budget
from rombel.model.drill import Behaviour, Drill, DrillBook, DrillKind, DrillStep, Mark, Timing
from rombel.model.failure import Failure
from rombel.model.fit_problem import FitProblem, InstanceType, NodeLoss, Offer, Purchase, Quota, Survival, Workload
from rombel.model.fit_solution import FitSolution, FitStatus, Landing, NodeBatch
from rombel.model.journey import Dependency, Journey, Reach, read_chain
from rombel.simulate.cluster import Cluster
from rombel.simulate.drilling import begin_steps, play_book, play_drill
from rombel.simulate.implied import with_implied
from rombel.simulate.play import Play
from rombel.simulate.scheduler import Score, choose, passing

ZONES = ("amber", "beryl", "coral", "denim", "ebony")


def fleet(
    room: int, nodes: list[tuple[str, dict[str, int]]], *workloads: Workload, zones: int = 3
) -> tuple[FitProblem, FitSolution]:
    """Return a fit of nodes (zone, replicas) with so much room of one resource and of pods."""
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, Decimal(1)) for zone in ZONES[:zones])
    types = (InstanceType("node", (room,), offers),)
    problem = FitProblem("EUR", ZONES[:zones], ("x",), (0,), types, workloads)
    batches = tuple(NodeBatch("node", Purchase.ON_DEMAND, zone, 1, replicas) for zone, replicas in nodes)
    return problem, FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(len(nodes)), Decimal(0), batches)


def zones_open(counts: tuple[int, ...], skew: int, rooms: tuple[int, ...] | None = None) -> list[str]:
    """Return the zones that take one more replica of a workload with these counts."""
    # One node a zone with room to spare, so that the spread alone decides.
    workload = Workload("w/a", sum(counts), (1,), zone_skew=skew)
    nodes = [(zone, {"w/a": count} if count else {}) for zone, count in zip(ZONES, counts, strict=False)]
    if rooms is not None:
        nodes += [(zone, {"w/full": 9 - count}) for zone, count in zip(ZONES, rooms, strict=False)]
    problem, solution = fleet(9, nodes, workload, zones=len(counts))
    cluster = Cluster(problem, solution)
    return [ZONES[cluster.zone_of(n)] for n in range(len(counts)) if passing(cluster, 0, -1)[n]]


class TestSpread(unittest.TestCase):
    def test_the_published_examples_of_topology_spread(self) -> None:
        # Text of the published API, PodSpec.topologySpreadConstraints.
        self.assertEqual(zones_open((2, 2, 1), 1), ["coral"])
        self.assertEqual(zones_open((2, 2, 1), 2), ["amber", "beryl", "coral"])
        self.assertEqual(zones_open((3, 1, 1), 1), ["beryl", "coral"])

    def test_a_full_zone_holds_the_least_count_at_none_and_a_zone_without_eligible_nodes_is_no_domain(self) -> None:
        full = Workload("w/full", 6, (1,))
        # Coral is full: it holds both others at one more than its none, unless the workload may not run there at all.
        for zones, placed in ((None, 2), (frozenset({"amber", "beryl"}), 6)):
            workload = Workload("w/a", 6, (1,), zone_skew=1, zones=zones)
            problem, solution = fleet(6, [("amber", {}), ("beryl", {}), ("coral", {"w/full": 6})], workload, full)
            cluster, found = Cluster(problem, solution), 0
            while found < 6 and (node := choose(cluster, 0, -1, Score.TIGHT, random.Random(0))) >= 0:
                cluster.bind(node, 0, 1)
                found += 1
            self.assertEqual(found, placed)

    def test_a_node_is_chosen_exactly_where_the_rules_read_one_by_one_allow_one(self) -> None:
        seen = {True: 0, False: 0}
        for seed in range(300):
            rng = random.Random(seed)
            a = Workload(
                "w/a", 1, (rng.randint(1, 4),), zone_skew=rng.choice((None, 1, 2)), most_per_node=rng.choice((None, 1, 2)),
                node_skew=rng.choice((None, None, 1)), apart=frozenset({"w/b"}) if rng.random() < 0.4 else frozenset(),
                zones=rng.choice((None, frozenset({"amber", "beryl"}))),
            )  # fmt: skip
            b = Workload("w/b", 1, (2,))
            nodes = []
            for _ in range(rng.randint(1, 6)):
                zone = rng.choice(ZONES[:3])
                count = rng.randint(0, 2) if a.zones is None or zone in a.zones else 0
                nodes.append((zone, {"w/a": count, "w/b": rng.randint(0, 1)}))
            problem, solution = fleet(10, nodes, a, b)
            cluster = Cluster(problem, solution)
            eligible = [n for n, (zone, _) in enumerate(nodes) if a.zones is None or zone in a.zones]
            domains = {nodes[n][0] for n in eligible}
            per_zone = {zone: sum(r["w/a"] for z, r in nodes if z == zone) for zone in domains}

            # The rules once more, each as it is stated, over the counts and without the core's tables.
            legal = set()
            for n in eligible:
                zone, own = nodes[n]
                after = own["w/a"] + 1
                if (
                    after * a.request[0] + 2 * own["w/b"] <= 10
                    and (a.most_per_node is None or after <= a.most_per_node)
                    and not (a.apart and own["w/b"])
                    and (a.zone_skew is None or per_zone[zone] + 1 - min(per_zone.values()) <= a.zone_skew)
                    and (a.node_skew is None or after - min(nodes[m][1]["w/a"] for m in eligible) <= a.node_skew)
                ):
                    legal.add(n)
            for score in Score:
                found = choose(cluster, 0, -1, score, rng)
                self.assertEqual(found >= 0, bool(legal), seed)
                self.assertTrue(found < 0 or found in legal, seed)
            seen[bool(legal)] += 1
        # Both outcomes came often: a rule that never bites would pass every seed.
        self.assertGreater(min(seen.values()), 30)


class TestDrains(unittest.TestCase):
    def test_a_budget_that_allows_none_blocks_the_drain_by_name_and_one_replica_less_needed_does_not(self) -> None:
        # Documentation "Specifying a Disruption Budget", from memory: 67 % of 3 rounds up to 3, 66 % to 2.
        problem, solution = fleet(9, [(zone, {"w/a": 1}) for zone in ZONES[:3]], Workload("w/a", 3, (1,)))
        for share, mark in (("67%", Mark.BROKEN), ("66%", Mark.HELD)):
            book = DrillBook(behaviours={"w/a": Behaviour(budget=Budget(min_available=share))})
            step = DrillStep(DrillKind.SHRINK, instance_type="node", count=2)
            result = play_drill(problem, solution, book, Drill("shrink", (step,)))
            self.assertIs(result.mark, mark)
            self.assertEqual("w/a" in result.reason and "budget" in result.reason, mark is Mark.BROKEN)

    def test_a_drain_goes_no_faster_than_the_tightest_budget(self) -> None:
        # Four replicas of one workload on a node, one may be down, 90 s to be ready: 360 s at least (common practice, no source).
        problem, solution = fleet(
            9, [("amber", {"w/a": 4}), ("beryl", {"w/b": 5})], Workload("w/a", 4, (1,)), Workload("w/b", 5, (1,))
        )
        behaviour = Behaviour(start_up_s=90.0, budget=Budget(max_unavailable="1"))
        book = DrillBook(behaviours={"w/a": behaviour}, timing=Timing(place_s=0.0))
        step = DrillStep(DrillKind.SHRINK, instance_type="node", count=1)
        play = play_drill(problem, solution, book, Drill("shrink", (step,)))
        self.assertEqual((play.mark, play.serving_s), (Mark.HELD, 360.0))

    def test_nodes_are_rolled_in_as_many_rounds_as_the_surge_allows(self) -> None:
        # Rounds of ceil(nodes / surge), each as long as a node takes (common practice, no source).
        for count, surge, minutes, expected in ((30, 3, 12, 120), (31, 3, 12, 132), (7, 2, 20, 80)):
            problem, solution = fleet(9, [("amber", {})] * count, Workload("w/a", 0, (1,)))
            book = DrillBook(timing=Timing(node_start_s=60.0 * minutes, surge=surge))
            result = play_drill(problem, solution, book, Drill("roll", (DrillStep(DrillKind.VERSION),)))
            self.assertEqual((result.mark, result.ends_s / 60, result.extra_nodes), (Mark.HELD, expected, count))

    def test_nodes_catch_up_at_once_from_three_minors_behind_and_a_fourth_is_refused(self) -> None:
        # The published version skew policy, from memory: an agent is at most three minors older; 1.28 to 1.31 is three steps.
        problem, solution = fleet(9, [(zone, {"w/a": 1}) for zone in ZONES[:3]], Workload("w/a", 3, (1,)))
        alone = DrillStep(DrillKind.VERSION, control_plane_only=True)
        steps = [replace(alone, name=f"step {n}", after=f"step {n - 1}" if n else "") for n in range(4)]
        nodes = DrillStep(DrillKind.VERSION, after="step 1")
        caught_up = play_drill(problem, solution, DrillBook(), Drill("up", (*steps[:2], nodes)))
        self.assertEqual((caught_up.mark, caught_up.extra_nodes), (Mark.HELD, 3))
        play = Play(problem, solution, DrillBook())
        begin_steps(play, (*steps[:2], nodes))
        play.run()
        # Two steps over the first version; the nodes that came since run what the control plane runs.
        self.assertEqual((play.control_version, {n.version for n in play.cluster.nodes[3:]}), (3, {3}))
        ahead = play_drill(problem, solution, DrillBook(), Drill("ahead", tuple(steps)))
        self.assertEqual(ahead.mark, Mark.BROKEN)
        self.assertIn("4 minor versions behind", ahead.reason)

    def test_a_node_that_nothing_can_replace_breaks_a_change(self) -> None:
        # Each type is sold in one zone, and not in the other's.
        offers = (Offer("amber", Purchase.ON_DEMAND, Decimal(1)), Offer("beryl", Purchase.ON_DEMAND, Decimal(1)))
        types = (InstanceType("node", (9,), offers[:1]), InstanceType("other", (9,), offers[1:]))
        problem = FitProblem("EUR", ZONES[:2], ("x",), (0,), types, (Workload("w/a", 0, (1,)),))
        batch = NodeBatch("node", Purchase.ON_DEMAND, "amber", 1, {})
        solution = FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(1), Decimal(0), (batch,))
        step = DrillStep(DrillKind.RETYPE, instance_type="node", to_type="other")
        result = play_drill(problem, solution, DrillBook(), Drill("retype", (step,)))
        self.assertEqual(result.mark, Mark.BROKEN)
        self.assertIn("not sold in amber", result.reason)

    def test_evening_out_of_alike_replicas_takes_the_fewest_moves_and_none_that_a_budget_forbids(self) -> None:
        rng = random.Random(5)
        for _ in range(25):
            counts = [rng.randint(0, 8) for _ in range(rng.randint(2, 6))]
            problem, solution = fleet(
                8, [("amber", {"w/a": n} if n else {}) for n in counts], Workload("w/a", sum(counts), (1,))
            )
            step = DrillStep(DrillKind.EVEN, share=0.13)  # One replica of the eight that a node holds.
            play = Play(problem, solution, DrillBook())
            begin_steps(play, (step,))
            play.run()
            after = sorted(play.cluster.bound[:, 0].tolist())
            self.assertLessEqual(after[-1] - after[0], 1)
            # Of alike replicas the fewest moves are what stands above the even counts, the fullest nodes keeping the larger ones.
            even = [(sum(counts) + n) // len(counts) for n in range(len(counts))]
            fewest = sum(max(0, have - keep) for have, keep in zip(sorted(counts), even, strict=True))
            self.assertEqual(sum(event.kind == "moved" for event in play.events), fewest, counts)
        problem, solution = fleet(9, [("amber", {"w/a": 6}), ("beryl", {})], Workload("w/a", 6, (1,)))
        # None may be down, so none may move: it stays uneven, and that is told.
        book = DrillBook(behaviours={"w/a": Behaviour(budget=Budget(max_unavailable="0"))})
        result = play_drill(problem, solution, book, Drill("even", (DrillStep(DrillKind.EVEN, share=0.2),)))
        self.assertEqual((result.workloads, len(result.warnings)), ((), 1))

    def test_the_control_plane_is_rolled_first_and_a_new_node_joins_before_an_old_one_leaves(self) -> None:
        problem, solution = fleet(9, [(zone, {"w/a": 2}) for zone in ZONES[:3]], Workload("w/a", 6, (1,)))
        book = DrillBook(members=dict.fromkeys(ZONES[:3], 1))
        play = play_drill(problem, solution, book, Drill("roll", (DrillStep(DrillKind.VERSION),)))
        kinds = [
            event.kind
            for event in play.events
            if event.kind in ("member leaves", "member joined", "node up", "node gone")
        ]
        self.assertEqual(kinds, ["member leaves", "member joined"] * 3 + ["node up", "node gone"] * 3)
        self.assertIs(play.mark, Mark.HELD)
        # A single member: while it is rolled there is no control plane.
        alone = play_drill(
            problem, solution, replace(book, members={"amber": 1}), Drill("roll", (DrillStep(DrillKind.VERSION),))
        )
        self.assertIs(alone.mark, Mark.STRAINED)
        self.assertEqual(alone.no_quorum_s, book.timing.control_plane_s)

    def test_a_quota_without_room_for_a_surge_node_is_told_and_the_old_node_goes_first(self) -> None:
        problem, solution = fleet(9, [(zone, {"w/a": 2}) for zone in ZONES[:3]], Workload("w/a", 6, (1,)))
        # Three nodes run and three are allowed: none can join before one has left.
        tight = replace(problem, limits=replace(problem.limits, quotas=(Quota("three", 3),)))
        result = play_drill(tight, solution, DrillBook(), Drill("roll", (DrillStep(DrillKind.VERSION),)))
        self.assertTrue(any("three" in line for line in result.checklist))
        self.assertEqual(
            [e.kind for e in result.events if e.kind in ("node up", "node gone")], ["node gone", "node up"] * 3
        )


class TestLosses(unittest.TestCase):
    def test_two_members_of_three_lost_leave_no_majority_and_nothing_is_placed(self) -> None:
        problem, solution = fleet(9, [(zone, {"w/a": 1}) for zone in ZONES[:3]], Workload("w/a", 3, (1,)))
        book = DrillBook(members=dict.fromkeys(ZONES[:3], 1))
        one = play_drill(problem, solution, book, Drill("one", (DrillStep(DrillKind.MEMBERS),)))
        self.assertEqual((one.mark, one.quorum), (Mark.HELD, True))
        self.assertTrue(any("load balancer" in line for line in one.checklist))
        # A node is lost after the majority is: its replica has nobody who would place it again.
        steps = (DrillStep(DrillKind.MEMBERS, count=2), DrillStep(DrillKind.NODES, at_s=10.0))
        two = play_drill(problem, solution, book, Drill("two", steps))
        self.assertEqual((two.mark, two.quorum), (Mark.BROKEN, False))
        self.assertEqual([entry.waiting for entry in two.workloads], [1])

    def test_the_worst_loss_is_the_worst_of_all_by_playing_every_one(self) -> None:
        from itertools import combinations

        nodes = [
            ("amber", {"w/a": 4}),
            ("amber", {"w/a": 1}),
            ("beryl", {"w/a": 3}),
            ("beryl", {"w/b": 2}),
            ("coral", {"w/a": 2, "w/b": 1}),
        ]
        problem, solution = fleet(5, nodes, Workload("w/a", 10, (1,)), Workload("w/b", 3, (2,)))
        for count in (1, 2, 3):
            found = play_drill(problem, solution, DrillBook(), Drill("any", (DrillStep(DrillKind.NODES, count=count),)))
            every = [
                play_drill(
                    problem,
                    solution,
                    DrillBook(),
                    Drill("these", (DrillStep(DrillKind.NODES, count=count, chosen=loss),)),
                )
                # Ten losses at most, so that each can be played by itself.
                for loss in combinations(range(5), count)
            ]
            waiting = [sum(entry.waiting for entry in result.workloads) for result in every]
            self.assertEqual(sum(entry.waiting for entry in found.workloads), max(waiting), count)
            self.assertIn("losses", found.searched)

    def test_unguided_replicas_wait_where_a_hard_spread_counts_a_dark_zone(self) -> None:
        nodes = [(zone, {"w/a": 2}) for zone in ZONES[:3]]
        problem, solution = fleet(9, nodes, Workload("w/a", 6, (1,), zone_skew=1, survive_zone=Survival.LANDING))
        landing = {"amber": (Landing(1, {"w/a": 1}), Landing(2, {"w/a": 1}))}
        solution = replace(solution, landing=landing)
        result = play_drill(
            problem, solution, DrillBook(), Drill("zone", (DrillStep(DrillKind.ZONE, zone="amber"),), True)
        )
        self.assertIs(result.mark, Mark.HELD)
        self.assertTrue(any("hard spread" in line and "amber" in line for line in result.warnings))
        self.assertTrue(any("Delete the dark nodes" in line for line in result.checklist))

    def test_further_room_that_is_said_to_suffice_does_in_every_run(self) -> None:
        # Room of 10 in the two zones left: 6 in one piece and 4; spread as evenly as the published score has it, the large one waits.
        nodes = [("amber", {"w/big": 1, "w/a": 4}), ("beryl", {"w/a": 4}), ("coral", {"w/a": 6})]
        problem, solution = fleet(10, nodes, Workload("w/big", 1, (6,)), Workload("w/a", 14, (1,)))
        # The large one is given up last, when the small ones have taken their places.
        book = DrillBook(behaviours={"w/big": Behaviour(toleration_s=600.0)})
        zone = Drill("zone", (DrillStep(DrillKind.ZONE, zone="amber"),))
        for room, landed, sufficed in ((10, 0, 40), (20, 8, None)):
            wide = replace(problem, instance_types=(replace(problem.instance_types[0], allocatable=(room,)),))
            result = play_drill(wide, solution, book, zone)
            assert result.unguided is not None
            self.assertEqual(sum(entry.waiting for entry in result.workloads), 0)
            self.assertEqual((result.unguided.runs, result.unguided.landed), (8, landed))
            self.assertEqual(
                (result.unguided.sufficed_percent, result.unguided.waited), (sufficed, {} if landed else {"w/big": 1})
            )

    def test_a_journey_uses_its_budget_by_the_minutes_of_what_it_needs(self) -> None:
        problem, solution = fleet(9, [(zone, {"w/a": 1}) for zone in ZONES[:3]], Workload("w/a", 3, (1,)))
        mail = Dependency("mail", Reach.OUTSIDE, Failure(1.0, 1800.0))
        drill = Drill("mail", (DrillStep(DrillKind.DEPENDENCY, dependency="mail"),))
        # Of a month 99.9 % leave 43.2 minutes and 99.95 % leave 21.6: half an hour is within one and beyond the other.
        for target, mark in (("99.9", Mark.STRAINED), ("99.95", Mark.BROKEN)):
            journey = Journey("buy", Decimal(target), read_chain("w/a, mail"))
            result = play_drill(problem, solution, DrillBook(dependencies=(mail,), journeys=(journey,)), drill)
            self.assertEqual((result.mark, result.journeys[0].minutes), (mark, 30.0))
        spared = Journey("look", Decimal("99.9"), read_chain("w/a"))
        result = play_drill(problem, solution, DrillBook(dependencies=(mail,), journeys=(spared,)), drill)
        self.assertEqual((result.mark, result.journeys[0].minutes), (Mark.HELD, 0.0))

    def test_higher_priorities_displace_lower_ones_and_only_those(self) -> None:
        nodes = [("amber", {"w/a": 3}), ("beryl", {"w/b": 3})]
        problem, solution = fleet(3, nodes, Workload("w/a", 3, (1,)), Workload("w/b", 3, (1,)))
        # Only three of six have room: of equal priority those that run keep it.
        for priority, left in ((1, {"w/b"}), (0, {"w/a"})):
            book = DrillBook(behaviours={"w/a": Behaviour(priority=priority)})
            play = Play(problem, solution, book)
            play.lose([0], "lost")
            play.run()
            self.assertEqual({play.cluster.workloads[i].name for i, _ in play.cluster.waiting}, left)

    def test_steps_wait_for_those_they_name(self) -> None:
        problem, solution = fleet(9, [("amber", {"w/a": 1}), ("beryl", {})], Workload("w/a", 1, (1,)))
        mail = Dependency("mail", Reach.OUTSIDE, Failure(1.0, 600.0))
        steps = (
            DrillStep(DrillKind.NODES, at_s=60.0, after="first"),
            DrillStep(DrillKind.DEPENDENCY, dependency="mail", name="first"),
        )
        result = play_drill(problem, solution, DrillBook(dependencies=(mail,)), Drill("chain", steps))
        self.assertEqual([e.at_s for e in result.events if e.kind in ("back", "lost")], [600.0, 660.0])


class TestBadBooks(unittest.TestCase):
    def test_each_fault_is_told_with_its_place_before_anything_is_played(self) -> None:
        problem, solution = fleet(9, [("amber", {"w/a": 1}), ("beryl", {})], Workload("w/a", 1, (1,)))
        bad = {
            "zone": DrillStep(DrillKind.ZONE, zone="nowhere"),
            "at_s": DrillStep(DrillKind.REGION, at_s=-1.0),
            "lasts_s": DrillStep(DrillKind.REGION, lasts_s=0.0),
            "instance_type": DrillStep(DrillKind.SHRINK, instance_type="huge"),
            "count": DrillStep(DrillKind.NODES, count=3),
            "chosen": DrillStep(DrillKind.NODES, chosen=(0, 7)),
            "minors": DrillStep(DrillKind.VERSION, minors=2),
            "dependency": DrillStep(DrillKind.DEPENDENCY, dependency="mail"),
            "to_type": DrillStep(DrillKind.RETYPE, instance_type="node", to_type="node"),
            "share": DrillStep(DrillKind.INTERRUPTION, share=0.0),
            "after": DrillStep(DrillKind.REGION, after="nobody"),
        }
        for field, step in bad.items():
            with self.assertRaises(InputRefused) as refused:
                play_book(
                    problem,
                    solution,
                    DrillBook(drills=(Drill("good", (DrillStep(DrillKind.NODES),)), Drill("bad", (step,)))),
                )
            self.assertIn(f"drills[1].steps[0].{field}", [fault.path for fault in refused.exception.faults])
            self.assertTrue(all(fault.reason and fault.fix for fault in refused.exception.faults))
        # Each waits for the other, so that neither would ever begin.
        ring = (DrillStep(DrillKind.REGION, name="a", after="b"), DrillStep(DrillKind.REGION, name="b", after="a"))
        with self.assertRaisesRegex(InputRefused, "for itself"):
            play_book(problem, solution, DrillBook(drills=(Drill("ring", ring),)))

    def test_what_is_written_is_read_again_and_what_breaks_the_format_is_refused(self) -> None:
        nodes = [(zone, {"w/a": 1}) for zone in ZONES[:3]]
        problem, solution = fleet(9, nodes, Workload("w/a", 3, (1,), survive_nodes=NodeLoss(1, Survival.LANDING)))
        book = DrillBook(
            timing=Timing(surge=2, node_start_p95_s=300.0),
            behaviours={"w/a": Behaviour(needed=2, budget=Budget(max_unavailable="1"), priority=5)},
            members={"amber": 3},
            dependencies=(Dependency("mail", Reach.ZONAL, Failure(2.0, 60.0), "amber"),),
            journeys=(Journey("buy", Decimal("99.5"), read_chain("w/a, any of (mail, w/b)")),),
            maxima={("node", Purchase.ON_DEMAND, "amber"): 4},
            drills=(
                Drill(
                    "own",
                    (
                        DrillStep(DrillKind.NODES, chosen=(0, 2), name="x"),
                        DrillStep(DrillKind.ZONE, zone="amber", after="x"),
                    ),
                ),
            ),
        )
        whole = with_implied(problem, solution, book)
        self.assertEqual(read_drill_book(write_drill_book(whole)), whole)
        # The own one and those that the plan's promises imply: a zone each, and one of every other kind.
        self.assertEqual(len(whole.drills), 3 + 1 + 1 + 1 + 1 + 1 + 1)
        raw = json.loads(write_drill_book(book))
        for broken in (
            {**raw, "extra": 1},
            {**raw, "drills": raw["drills"] * 2},
            {**raw, "drills": [{"name": "x", "steps": []}]},
        ):
            with self.assertRaises(InputRefused):
                read_drill_book(json.dumps(broken))


class TestSupply(unittest.TestCase):
    def test_interruptible_nodes_are_taken_back_by_share_and_their_replicas_wait_at_once(self) -> None:
        offers = tuple(Offer(z, p, Decimal(1)) for z in ZONES[:2] for p in (Purchase.ON_DEMAND, Purchase.INTERRUPTIBLE))
        # All of its replicas may be interrupted, so that the share of nodes alone counts.
        work = Workload("w/a", 7, (1,), interruptible_share=1.0)
        problem = FitProblem("EUR", ZONES[:2], ("x",), (0,), (InstanceType("node", (9,), offers),), (work,))
        nodes = (
            NodeBatch("node", Purchase.INTERRUPTIBLE, "amber", 3, {"w/a": 2}),
            NodeBatch("node", Purchase.ON_DEMAND, "beryl", 1, {"w/a": 1}),
        )
        solution = FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(4), Decimal(0), nodes)
        result = play_drill(
            problem, solution, DrillBook(), Drill("half", (DrillStep(DrillKind.INTERRUPTION, share=0.5),))
        )
        # Half of three rounds up to two nodes, four replicas; nobody waits to see that they are gone.
        self.assertEqual([(row.lost, row.waiting) for row in result.workloads], [(4, 0)])
        self.assertEqual([event.at_s for event in result.events if event.kind == "waiting"], [0.0])

    def test_what_is_out_of_stock_or_beyond_a_quota_does_not_come_and_says_why(self) -> None:
        problem, solution = fleet(9, [(zone, {"w/a": 1}) for zone in ZONES[:3]], Workload("w/a", 3, (1,)))
        grow = DrillStep(DrillKind.GROW, instance_type="node", count=5)
        free = play_drill(problem, solution, DrillBook(), Drill("grow", (grow,)))
        self.assertEqual((free.mark, free.extra_nodes, free.ends_s), (Mark.HELD, 2, 180.0))
        none = (DrillStep(DrillKind.STOCK, instance_type="node", name="none"), replace(grow, after="none"))
        sold_out = play_drill(problem, solution, DrillBook(), Drill("grow", none))
        self.assertEqual((sold_out.mark, sold_out.extra_nodes), (Mark.BROKEN, 0))
        self.assertIn("out of stock", sold_out.reason)
        tight = replace(problem, limits=replace(problem.limits, quotas=(Quota("four", 4),)))
        result = play_drill(tight, solution, DrillBook(), Drill("grow", (grow,)))
        self.assertEqual((result.mark, result.extra_nodes), (Mark.BROKEN, 1))
        self.assertIn("quota four", result.reason)

    def test_autoscaling_brings_the_cheapest_node_inside_its_maxima_and_only_while_something_waits(self) -> None:
        problem, solution = fleet(2, [("amber", {"w/a": 2}), ("beryl", {"w/a": 2})], Workload("w/a", 4, (1,)), zones=2)
        zone = Drill("zone", (DrillStep(DrillKind.ZONE, zone="amber"),))
        # With one node no more may come, with two the second does, with nine no third is ordered.
        for most, mark, waiting in ((1, Mark.BROKEN, 2), (2, Mark.STRAINED, 0), (9, Mark.STRAINED, 0)):
            book = DrillBook(maxima={("node", Purchase.ON_DEMAND, "beryl"): most})
            result = play_drill(problem, solution, book, zone)
            self.assertEqual((result.mark, [row.waiting for row in result.workloads]), (mark, [waiting]), most)
            self.assertEqual(result.extra_nodes, min(most, 2) - 1)

    def test_a_start_drawn_by_chance_has_the_median_and_the_percentile_that_are_stated(self) -> None:
        problem, solution = fleet(9, [("amber", {"w/a": 1})], Workload("w/a", 1, (1,)))
        play = Play(problem, solution, DrillBook(timing=Timing(node_start_s=180.0, node_start_p95_s=420.0)), seed=5)
        drawn = sorted(play.supply.start_s() for _ in range(20_000))
        # Standard error of the median of a lognormal: about 1.2533 σ m / √n = 0.8 s here; four of them.
        self.assertAlmostEqual(drawn[10_000], 180.0, delta=4.0)
        self.assertAlmostEqual(drawn[19_000], 420.0, delta=20.0)
