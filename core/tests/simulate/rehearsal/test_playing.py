"""Rehearsals: what is asked is served, waits or is lost; nodes stay inside their limits; queueing theory and a reference library agree."""

import random
import unittest
from collections.abc import Iterable, Iterator
from dataclasses import replace
from decimal import Decimal

import numpy as np
import simpy

from rombel.errors import InputRefused
from rombel.model.demand import Budget
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Purchase, Workload
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch
from rombel.model.rehearsal import (
    Burst,
    Load,
    Outage,
    OutageKind,
    PoolRange,
    Rehearsal,
    RehearsalParams,
    ReplicaScaling,
    ScalingRules,
)
from rombel.simulate.rehearsal import RehearsalOutcome, rehearse, standing_at

ZONES = ("amber", "birch", "cedar")
START_S = 1_792_972_800


def plan(
    room: int, nodes: Iterable[tuple[str, dict[str, int]]], *workloads: Workload, zones: int = 1, price: str = "1"
) -> tuple[FitProblem, FitSolution]:
    """Return a problem of one type with so much room of one resource, sold in so many zones, and nodes that stand."""
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, Decimal(price)) for zone in ZONES[:zones])
    problem = FitProblem("EUR", ZONES[:zones], ("x",), (0,), (InstanceType("node", (room,), offers),), workloads)
    batches = tuple(NodeBatch("node", Purchase.ON_DEMAND, zone, 1, replicas) for zone, replicas in nodes)
    return problem, FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(price) * len(batches), Decimal(0), batches)


def ranges(*limits: PoolRange) -> dict[tuple[str, Purchase, str], PoolRange]:
    """Return limits of the type by zone."""
    return {("node", Purchase.ON_DEMAND, zone): limit for zone, limit in zip(ZONES, limits, strict=False)}


def load(values: Iterable[float], workload: str = "w/a", target: int = 700) -> Load:
    """Return a load in replicas at their target."""
    return Load(workload, 1000, target, np.array([round(v * target) for v in values], np.int64))


def at_once(most: int = 1000) -> ReplicaScaling:
    """Return scaling that follows at once."""
    rules = ScalingRules(0, (), tolerance_permille=0)
    return ReplicaScaling(0, most, rules, rules)


def random_case(seed: int) -> tuple[FitProblem, FitSolution, Rehearsal]:
    """Return a small rehearsal with a bit of everything."""
    rng = random.Random(seed)
    workloads = tuple(
        Workload(
            f"w/{name}", 3, (rng.randint(1, 3),), zone_skew=rng.choice((None, 1, 2)), most_per_node=rng.choice((None, 2)),
            apart=frozenset({"w/a"}) if name == "c" and rng.random() < 0.5 else frozenset(),
        )
        for name in "abc"
    )  # fmt: skip
    stands = {w.name: 1 for w in workloads if not w.apart}
    problem, solution = plan(9, [(zone, stands) for zone in ZONES], *workloads, zones=3)
    steps = 40
    loads = tuple(load((rng.uniform(0, 9) for _ in range(steps)), w.name) for w in workloads)
    outages = (
        Outage(OutageKind.ZONE, rng.randint(0, 4000), 3000, "birch"),
        Outage(OutageKind.STOCK, rng.randint(0, 9000), 2000, rng.choice(("amber", ""))),
    )
    rehearsal = Rehearsal(
        START_S, 300, steps, loads, {w.name: ReplicaScaling(1, 12) for w in workloads},
        ranges(*(PoolRange(1, rng.randint(1, 6), rng.randint(0, 1)) for _ in ZONES)),
        bursts=(Burst(2000, "w/a", 3, rng.choice((None, 900))),), outages=outages[: rng.randint(0, 2)],
        budgets={"w/b": Budget(max_unavailable="1")}, params=RehearsalParams(node_start_p95_s=400, idle_s=300, sample_s=600),
    )  # fmt: skip
    return problem, solution, rehearsal


class TestLaws(unittest.TestCase):
    def test_everything_asked_is_served_waits_or_is_lost_and_every_node_hour_is_paid_once(self) -> None:
        for seed in range(25):
            problem, solution, rehearsal = random_case(seed)
            found = rehearse(problem, solution, rehearsal, seed=seed)
            for entry, stated in zip(found.workloads, rehearsal.loads, strict=True):
                self.assertAlmostEqual(entry.asked, entry.served + entry.lost + entry.waiting, 9)
                self.assertAlmostEqual(entry.asked, float(stated.values.sum()) * 300 / 1000 / 3600, 9)
                self.assertLessEqual(entry.lost, entry.late + 1e-12)
            for pool in found.pools:
                self.assertAlmostEqual(float(pool.cost), pool.node_hours, 5)
                self.assertAlmostEqual(sum(pool.nodes) * found.sample_s / 3600, pool.node_hours, 6)
                self.assertLessEqual(pool.most_seen, pool.range.most)
            self.assertEqual(found.total, sum(pool.cost for pool in found.pools))
            self.assertAlmostEqual(sum(found.waiting) * found.sample_s / 60, found.waited_min, 6)

    def test_at_every_moment_nothing_is_overcommitted_and_every_replica_is_accounted_for(self) -> None:
        for seed in range(12):
            problem, solution, rehearsal = random_case(seed)
            request = {w.name: w.request[0] for w in problem.workloads}
            lost = [o for o in rehearsal.outages if o.kind is OutageKind.ZONE]
            for at in range(450, rehearsal.lasts_s, 1111):
                shown = standing_at(problem, solution, rehearsal, at, seed=seed)
                counts = dict.fromkeys(ZONES, 0)
                for node in shown.nodes:
                    self.assertLessEqual(sum(request[name] * n for name, n in node.bound.items()), 9)
                    self.assertTrue(all(node.serving.get(name, 0) <= n for name, n in node.bound.items()))
                    apart = problem.workloads[2].apart and node.bound.get("w/c")
                    self.assertFalse(apart and node.bound.get("w/a"), (seed, at))
                    self.assertTrue(
                        all(
                            n <= (w.most_per_node or 99) for w in problem.workloads for n in [node.bound.get(w.name, 0)]
                        )
                    )
                    counts[node.offer[2]] += 1
                for zone, count in counts.items():
                    limit = rehearsal.ranges["node", Purchase.ON_DEMAND, zone]
                    self.assertLessEqual(count, limit.most)
                    dark = any(o.zone == zone and at >= o.at_s for o in lost) or rehearsal.outages
                    self.assertTrue(dark or count >= limit.least, (seed, at))

    def test_the_same_seed_plays_the_same_and_prices_names_and_progress_change_nothing(self) -> None:
        problem, solution, rehearsal = random_case(3)
        found = rehearse(problem, solution, rehearsal, seed=5)
        self.assertEqual(found, rehearse(problem, solution, rehearsal, seed=5, on_progress=lambda share: False))
        self.assertNotEqual(found.waiting, rehearse(problem, solution, rehearsal, seed=6).waiting)
        dearer = replace(
            problem,
            currency="GBP",
            instance_types=tuple(
                replace(t, offers=tuple(replace(o, price_per_hour=o.price_per_hour * 7) for o in t.offers))
                for t in problem.instance_types
            ),
        )
        other = rehearse(dearer, solution, rehearsal, seed=5)
        self.assertEqual((other.waiting, other.serving), (found.waiting, found.serving))
        self.assertAlmostEqual(float(other.total), 7 * float(found.total), 4)

    def test_more_nodes_at_most_never_let_commanded_replicas_wait_longer_where_nodes_start_alike(self) -> None:
        # Of what autoscaling adds it is not claimed: it wishes for more replicas when more of them serve, and under a higher maximum nodes
        # come and go at other times. Nor of starts drawn by chance: another order takes other draws.
        for seed in range(10):
            rng = random.Random(seed)
            problem, solution = plan(4, [("amber", {})], Workload("w/b", 0, (1,)))
            bursts = tuple(
                Burst(rng.randrange(14_000), "w/b", rng.randint(1, 9), rng.randint(60, 3000)) for _ in range(12)
            )
            waited = []
            for most in range(1, 11):
                rehearsal = Rehearsal(START_S, 300, 48, ranges=ranges(PoolRange(1, most)), bursts=bursts)
                waited.append(rehearse(problem, solution, rehearsal).waited_min)
            self.assertEqual(waited, sorted(waited, reverse=True))
            self.assertGreater(waited[0], waited[-1])

    def test_a_stop_keeps_what_was_played(self) -> None:
        problem, solution, rehearsal = random_case(1)
        long = replace(
            rehearsal,
            steps=60_000,
            loads=tuple(replace(x, values=np.resize(x.values, 60_000)) for x in rehearsal.loads),
        )
        found = rehearse(problem, solution, long, on_progress=lambda share: True)
        self.assertLess(found.reached_s, long.lasts_s)
        self.assertEqual(len(found.waiting), -(-found.reached_s // found.sample_s))


class TestDelays(unittest.TestCase):
    def grown(self, **more: object) -> RehearsalOutcome:
        """Return a step from one to two replicas of a node's size each, at 600 s."""
        problem, solution = plan(1, [("amber", {"w/a": 1})], Workload("w/a", 1, (1,)), zones=2)
        values = [1.0] * 2 + [2.0] * 10
        rehearsal = Rehearsal(
            START_S, 300, 12, (load(values),), {"w/a": at_once(2)}, ranges(PoolRange(1, 1), PoolRange(0, 3)), start_ups={"w/a": 30}
        )  # fmt: skip
        return rehearse(problem, solution, replace(rehearsal, **more))

    def test_a_step_of_demand_waits_for_look_out_start_and_placing(self) -> None:
        found = self.grown()
        # Seen at 615 s, ordered at 630, up after 180, placed 5 later: 200 s without a node.
        self.assertEqual((found.workloads[0].longest_at_s, found.workloads[0].longest_s), (615, 15 + 180 + 5))
        self.assertEqual((found.started, found.waited_min), (1, 200 / 60))
        self.assertEqual((found.workloads[0].lost, found.workloads[0].waiting), (0.0, 0.0))

    def test_what_is_late_is_what_a_fluid_queue_says(self) -> None:
        # Looked at every second: two serve from 831 s. What comes a seconds after 600 waits 0.4 a while one replica bears 1000 of 1400, and
        # 115.5 - 0.3 a once two do: longer than 60 s from 150 to 185 s, and never longer than the 120 s of patience.
        own = self.grown(params=RehearsalParams(period_s=1)).workloads[0]
        self.assertAlmostEqual(own.late * 3600, 1.4 * 35, delta=1.4 * 4)
        self.assertEqual(own.lost, 0.0)

    def test_room_kept_back_takes_a_replica_at_once(self) -> None:
        kept = self.grown(ranges=ranges(PoolRange(1, 1), PoolRange(0, 3, kept_back=1)))
        self.assertEqual((kept.workloads[0].longest_s, kept.workloads[0].lost), (5, 0.0))

    def test_a_refused_order_is_asked_for_elsewhere_after_its_time(self) -> None:
        problem, solution = plan(1, [("amber", {"w/a": 1})], Workload("w/a", 1, (1,)), zones=2)
        stock = Outage(OutageKind.STOCK, 0, 3600, "amber")
        rehearsal = Rehearsal(
            START_S, 300, 12, (load([1.0] * 2 + [2.0] * 10),), {"w/a": at_once(2)}, ranges(PoolRange(1, 3), PoolRange(0, 3)), outages=(stock,)
        )  # fmt: skip
        # Amber has as many nodes as birch has none: birch is asked first and amber never; without birch's limit amber is refused.
        self.assertEqual(rehearse(problem, solution, rehearsal).refused, 0)
        dearer = replace(
            problem,
            instance_types=(
                replace(
                    problem.instance_types[0],
                    offers=(
                        Offer("amber", Purchase.ON_DEMAND, Decimal(1)),
                        Offer("birch", Purchase.ON_DEMAND, Decimal(2)),
                    ),
                ),
            ),
        )
        found = rehearse(dearer, solution, rehearsal)
        # Ordered at 630, refused at 690, seen at the look of 690, up at 870, placed at 875.
        self.assertEqual((found.refused, found.started, found.workloads[0].longest_s), (1, 1, 875 - 615))

    def test_a_commanded_burst_is_told_when_all_of_it_runs_and_ends_after_its_time(self) -> None:
        problem, solution = plan(5, [("amber", {"w/a": 2})], Workload("w/a", 2, (1,)))
        rehearsal = Rehearsal(START_S, 300, 12, ranges=ranges(PoolRange(1, 4)), bursts=(Burst(900, "w/a", 8, 600),))
        found = rehearse(problem, solution, rehearsal)
        # Three have room at once; the other five wait for the look at 915, a node until 1095, placing and 30 s of start-up.
        self.assertEqual((found.bursts_s, found.started), ((1095 + 5 + 30 - 900,), 1))
        self.assertEqual(found.serving[-1], 2.0)

    def test_what_is_commanded_is_the_least_of_a_workload_that_scales_and_only_for_its_time(self) -> None:
        problem, solution = plan(9, [("amber", {"w/a": 2})], Workload("w/a", 2, (1,)))
        flat = Rehearsal(
            START_S, 300, 24, (load([2.0] * 24),), {"w/a": ReplicaScaling(1, 4)}, bursts=(Burst(900, "w/a", 3, 1800), Burst(1800, "w/a", 1, 600)),
            params=RehearsalParams(sample_s=300),
        )  # fmt: skip
        found = rehearse(problem, solution, flat)
        # Five from 900 s, six from 1800 to 2400, two again from 2700: two were recommended all along, so no window holds it up.
        self.assertEqual([round(value) for value in found.wished[:11]], [2, 2, 2, 5, 5, 5, 6, 6, 5, 2, 2])
        self.assertEqual(found.wished[-1], 2.0)

    def test_a_budget_that_allows_none_keeps_an_idle_node(self) -> None:
        problem, solution = plan(9, [("amber", {"w/a": 1}), ("birch", {"w/a": 1})], Workload("w/a", 2, (1,)), zones=2)
        for budget, left in ((Budget(max_unavailable="0"), 2.0), (Budget(max_unavailable="1"), 1.0)):
            rehearsal = Rehearsal(
                START_S, 300, 24, ranges=ranges(PoolRange(0, 2), PoolRange(0, 2)), budgets={"w/a": budget}
            )
            found = rehearse(problem, solution, rehearsal)
            self.assertEqual(sum(pool.nodes[-1] for pool in found.pools), left)

    def test_a_lost_zone_comes_back_elsewhere_after_eviction_and_a_start(self) -> None:
        nodes = [("amber", {"w/a": 2}), ("birch", {"w/a": 2})]
        problem, solution = plan(2, nodes, Workload("w/a", 4, (1,), zone_skew=4), zones=2)
        lost = Outage(OutageKind.ZONE, 1000, 7200, "amber")
        rehearsal = Rehearsal(START_S, 300, 24, ranges=ranges(PoolRange(1, 2), PoolRange(1, 2)), outages=(lost,))
        found = rehearse(problem, solution, rehearsal)
        self.assertEqual((min(found.serving), found.started), (found.serving[1], 1))
        self.assertEqual(
            [
                len([n for n in standing_at(problem, solution, rehearsal, 5000).nodes if n.offer[2] == z])
                for z in ZONES[:2]
            ],
            [0, 2],
        )


class TestQueues(unittest.TestCase):
    """Jobs that arrive by chance at a fixed number of places, each running for a time drawn by chance."""

    def waits(self, places: int, arrivals: list[int], services: list[int]) -> float:
        """Return the mean wait in seconds for a place of a node that holds so many."""
        problem, solution = plan(places, [("amber", {})], Workload("w/job", 0, (1,)))
        bursts = tuple(Burst(at, "w/job", 1, runs) for at, runs in zip(arrivals, services, strict=True))
        lasts = arrivals[-1] + sum(services[-places * 3 :]) + 3600
        rehearsal = Rehearsal(
            START_S, 3600, lasts // 3600 + 1, ranges=ranges(PoolRange(1, 1)), bursts=bursts, start_ups={"w/job": 0},
            params=RehearsalParams(period_s=3600, place_s=0, patience_s=3600, sample_s=3600),
        )  # fmt: skip
        found = rehearse(problem, solution, rehearsal)
        self.assertEqual(found.workloads[0].placed, len(arrivals))
        return 60 * found.waited_min / len(arrivals)

    def drawn(self, seed: int, count: int, arrival_s: float, service_s: float) -> tuple[list[int], list[int]]:
        rng = np.random.default_rng(seed)
        arrivals = np.cumsum(rng.exponential(arrival_s, count)).astype(int).tolist()
        return arrivals, np.maximum(rng.exponential(service_s, count), 1).astype(int).tolist()

    def test_waits_are_those_of_a_reference_library_to_the_second(self) -> None:
        # simpy, a general discrete-event library: the same jobs at a resource of the same capacity.
        arrivals, services = self.drawn(1, 2000, 600, 1200)
        env, waits = simpy.Environment(), []
        resource = simpy.Resource(env, 3)

        def job(at: int, runs: int) -> Iterator[simpy.Event]:
            yield env.timeout(at)
            with resource.request() as request:
                yield request
                waits.append(env.now - at)
                yield env.timeout(runs)

        for at, runs in zip(arrivals, services, strict=True):
            env.process(job(at, runs))
        env.run()
        self.assertAlmostEqual(self.waits(3, arrivals, services), sum(waits) / len(waits), 9)
        self.assertGreater(sum(waits), 0)

    def test_three_places_wait_as_the_theory_of_queues_says(self) -> None:
        # M/M/3, 6 an hour served 3 an hour each: 0.148148 h (Gross and Harris, Fundamentals of Queueing Theory, eye clinic example, from memory).
        waits = [self.waits(3, *self.drawn(seed, 4000, 600, 1200)) / 3600 for seed in range(10, 16)]
        error = np.std(waits, ddof=1) / len(waits) ** 0.5
        self.assertLess(abs(np.mean(waits) - 0.148148), 4 * error)
        self.assertLess(error, 0.02)


class TestBadInput(unittest.TestCase):
    def test_each_fault_is_told_with_its_place(self) -> None:
        problem, solution = plan(9, [("amber", {"w/a": 1})], Workload("w/a", 1, (1,)))
        good = Rehearsal(START_S, 300, 4, (load([1.0] * 4),), {"w/a": ReplicaScaling(1, 3)}, ranges(PoolRange(1, 2)))
        nobody = ("node", Purchase.ON_DEMAND, "nowhere")
        bad = {
            "steps": replace(good, steps=0),
            "params.period_s": replace(good, params=RehearsalParams(period_s=7)),
            "loads[0].workload": replace(good, loads=(load([1.0] * 4, "w/none"),)),
            "loads[0]": replace(good, loads=(Load("w/a", 1, 1, np.array([1, -5, 2, 3])),)),
            "scalings[w/a].least": replace(good, scalings={"w/a": ReplicaScaling(4, 3)}),
            "scalings[w/a].up.window_s": replace(good, scalings={"w/a": ReplicaScaling(1, 3, up=ScalingRules(3601))}),
            "ranges[node, on-demand, amber].least": replace(good, ranges=ranges(PoolRange(3, 2))),
            "ranges[node, on-demand, nowhere]": replace(good, ranges={nobody: PoolRange(0, 1)}),
            "bursts[0]": replace(good, bursts=(Burst(99_999, "w/a", 1),)),
            "outages[0].zone": replace(good, outages=(Outage(OutageKind.ZONE, 0, 60, "nowhere"),)),
            "outages[0]": replace(good, outages=(Outage(OutageKind.STOCK, 0, 0),)),
        }
        for place, rehearsal in bad.items():
            with self.subTest(place), self.assertRaises(InputRefused) as refused:
                rehearse(problem, solution, rehearsal)
            self.assertIn(place, [fault.path for fault in refused.exception.faults])
            self.assertTrue(all(fault.reason and fault.fix for fault in refused.exception.faults))

    def test_a_gap_is_unknown_and_never_zero(self) -> None:
        problem, solution = plan(9, [("amber", {"w/a": 4})], Workload("w/a", 4, (1,)))
        values = load([4.0] * 8).values
        values[3:6] = -1
        rehearsal = Rehearsal(START_S, 300, 8, (Load("w/a", 1000, 700, values),), {"w/a": at_once()})
        found = rehearse(problem, solution, rehearsal)
        self.assertEqual(set(found.wished), {4.0})
        values[3:6] = 0
        self.assertLess(min(rehearse(problem, solution, rehearsal).wished), 4.0)
