"""Drills: what a fit promises holds when it is broken on purpose, and at every moment the cluster keeps its rules."""

import json
import unittest
from collections import Counter
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from rombel.fit import fit
from rombel.formats import read_problem
from rombel.model.demand import Budget
from rombel.model.drill import Behaviour, Drill, DrillBook, DrillKind, DrillStep, Mark, Timing
from rombel.model.failure import FailureData
from rombel.model.fit_problem import FitProblem, NodeLoss, Survival
from rombel.model.fit_solution import FitSolution
from rombel.simulate.cluster import NodeState
from rombel.simulate.drilling import begin_steps, drill_faults, play_book
from rombel.simulate.implied import with_implied
from rombel.simulate.play import Play
from tests.problems import QUICK, random_value

MEMBERS = {"amber": 1, "beryl": 1, "coral": 1}


def fits(
    survive: str, nodes: dict[str, object] | None = None, seeds: range = range(12)
) -> Iterator[tuple[FitProblem, FitSolution]]:
    """Yield random problems that have an answer, with it."""
    for seed in seeds:
        raw = random_value(seed, survive)
        raw["survive"] = {"zone": survive} | ({"nodes": nodes} if nodes else {})
        problem = read_problem(json.dumps(raw))
        if seed % 2 and len(problem.workloads) > 1:
            # One that is promised nothing: it must not take the room that is kept for the others.
            first = replace(problem.workloads[0], survive_zone=Survival.NONE, survive_nodes=NodeLoss())
            problem = replace(problem, workloads=(first, *problem.workloads[1:]))
        solution = fit(problem, params=QUICK)
        if solution.found and solution.nodes:
            yield problem, solution


class TestPromises(unittest.TestCase):
    def test_a_drill_that_a_fit_promises_to_survive_is_never_broken(self) -> None:
        played = Counter[str]()
        for survive in ("standing", "landing", "growing"):
            for problem, solution in fits(survive):
                book = with_implied(problem, solution, DrillBook())
                for result in play_book(problem, solution, book):
                    if result.drill.promised:
                        self.assertIsNot(result.mark, Mark.BROKEN, (survive, result.drill.name, result.reason))
                        played[survive] += 1
        for how in ("standing", "landing"):
            for count in (1, 2):
                for problem, solution in fits("none", {"count": count, "how": how}):
                    for result in play_book(problem, solution, with_implied(problem, solution, DrillBook())):
                        if result.drill.promised:
                            self.assertIsNot(result.mark, Mark.BROKEN, (how, count, result.reason))
                            played[f"{how} {count}"] += 1
        self.assertEqual(len(played), 7)
        self.assertGreater(min(played.values()), 4, played)


def step_of(kind: DrillKind, solution: FitSolution) -> DrillStep:
    """Return a step of a kind that can be played on a solution."""
    batch = solution.nodes[0]
    there = sum(b.count for b in solution.nodes if b.offer[:2] == batch.offer[:2])
    count = {DrillKind.SHRINK: there - 1, DrillKind.GROW: there + 2}.get(kind, 1)
    pool = {"instance_type": batch.instance_type, "purchase": str(batch.purchase)}
    zone = "" if kind in (DrillKind.MEMBERS, DrillKind.STOCK) else batch.zone
    return DrillStep(kind, count=count, zone=zone, dependency="mail", to_type="other", **pool)  # type: ignore[arg-type]


def watched(play: Play, case: unittest.TestCase) -> None:
    """Look at every rule of the cluster whenever something is told, from now on."""
    tell, budgets = play.tell, play.book.behaviours

    def looked(kind: str, words: str) -> None:
        cluster = play.cluster
        case.assertTrue((cluster.free >= 0).all(), "a node is overcommitted")
        case.assertTrue((cluster.free == cluster.room[cluster.offer] - cluster.bound @ cluster.request).all())
        case.assertTrue((cluster.bound <= cluster.most[cluster.offer]).all(), "a node carries what it may not")
        case.assertTrue(((cluster.serving >= 0) & (cluster.serving <= cluster.bound)).all())
        case.assertTrue((cluster.accounted() == cluster.wished).all(), "a replica is lost, or stands twice")
        for node, entry in enumerate(cluster.nodes):
            case.assertFalse(entry.state is NodeState.DARK and cluster.serving[node].any())
            case.assertFalse(entry.state is NodeState.GONE and cluster.bound[node].any())
        if kind == "moved":
            for name, behaviour in budgets.items():
                i = cluster.index[name]
                wished, served = int(cluster.wished[i]), int(cluster.served()[i])
                case.assertIsNotNone(behaviour.budget)
                allowed = behaviour.budget.allowed(wished) if behaviour.budget else 0
                case.assertGreaterEqual(served, wished - allowed, "a voluntary move broke a budget")
        tell(kind, words)

    play.tell = looked  # type: ignore[method-assign]


class TestPlaying(unittest.TestCase):
    def test_every_kind_keeps_the_rules_of_the_cluster_at_every_moment_and_plays_the_same_twice(self) -> None:
        moved = 0
        for problem, solution in fits("landing", seeds=range(8)):
            other = replace(problem.instance_types[0], name="other")
            problem = replace(problem, instance_types=(*problem.instance_types, other))
            book = DrillBook(
                timing=Timing(node_start_p95_s=400.0),
                members=dict.fromkeys(problem.zones, 1),
                behaviours={w.name: Behaviour(budget=Budget(max_unavailable="1")) for w in problem.workloads},
            )
            for kind in DrillKind:
                if kind in (DrillKind.INTERRUPTION, DrillKind.DEPENDENCY):
                    continue
                drill = Drill("one", (step_of(kind, solution),))
                self.assertEqual(list(drill_faults(drill, problem, solution, book, "")), [], kind)
                told = []
                for _ in range(2):
                    play = Play(problem, solution, book, seed=3)
                    watched(play, self)
                    left = begin_steps(play, drill.steps)
                    play.run()
                    told.append(play.events)
                    self.assertTrue(not left() or play.drains.blocked, kind)
                self.assertEqual(told[0], told[1])
                moved += int(play.watch.moved.sum())
                self.assertEqual(sorted(e.at_s for e in told[0]), [e.at_s for e in told[0]])
        self.assertGreater(moved, 20)

    def test_events_add_up_to_what_stands_in_the_end(self) -> None:
        for problem, solution in fits("landing", seeds=range(4)):
            play = Play(problem, solution, DrillBook())
            before = play.cluster.bound.copy(), play.cluster.serving.copy()
            begin_steps(
                play,
                (
                    DrillStep(DrillKind.ZONE, zone=problem.zones[0], lasts_s=3600.0),
                    DrillStep(DrillKind.VERSION, at_s=9000.0),
                ),
            )
            play.run()
            bound, serving = (np.zeros_like(play.cluster.bound) for _ in range(2))
            bound[: len(before[0])], serving[: len(before[1])] = before
            for event in play.events:
                for change in event.changes:
                    bound[change.node, play.cluster.index[change.workload]] += change.bound
                    serving[change.node, play.cluster.index[change.workload]] += change.serving
            self.assertTrue((bound == play.cluster.bound).all() and (serving == play.cluster.serving).all())

    def test_nothing_that_cannot_matter_changes_a_mark(self) -> None:
        for problem, solution in fits("landing", seeds=range(5)):
            book = with_implied(problem, solution, DrillBook(members=dict.fromkeys(problem.zones, 1)))
            plain = [(r.drill.name, r.mark, r.ends_s) for r in play_book(problem, solution, book)]
            dear = replace(
                problem,
                currency="CHF",
                workloads=problem.workloads[::-1],
                instance_types=tuple(
                    replace(e, offers=tuple(replace(o, price_per_hour=7 * o.price_per_hour) for o in e.offers))
                    for e in problem.instance_types
                ),
            )
            self.assertEqual([(r.drill.name, r.mark, r.ends_s) for r in play_book(dear, solution, book)], plain)

    def test_what_lands_is_down_as_long_as_the_exact_availability_counts(self) -> None:
        # Two computations that share no code: the window of the closed form, and a loss played.
        data, seen = FailureData(), Counter[str]()
        for how in (Survival.LANDING, Survival.GROWING):
            for problem, solution in fits(str(how), seeds=range(0, 12, 2)):
                for result in play_book(problem, solution, with_implied(problem, solution, DrillBook())):
                    if result.drill.steps[0].kind is not DrillKind.ZONE:
                        continue
                    for row in result.workloads:
                        window = data.window_s(how, 30)
                        at_once = data.window_s(Survival.LANDING, 30)
                        # Where nodes grow, some replicas find room that is left and come back sooner.
                        self.assertIn(row.short_s, {0.0, at_once, window} if how is Survival.GROWING else {window})
                        seen[str(how)] += 1
        self.assertEqual(len(seen), 2)
        self.assertGreater(min(seen.values()), 5)
