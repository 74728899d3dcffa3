"""Steps from what runs: each state keeps every rule, costs what is said, and the next state is this one with its moves made."""

import json
import random
import unittest
from collections import Counter
from dataclasses import replace
from decimal import Decimal

from rombel.errors import InputRefused
from rombel.fit import ChangeParams, check, even_weight, evenness, fit
from rombel.formats import read_problem
from rombel.inquiry import MigrationPlan, Step, migration_plan
from rombel.model.existing import Existing, ExistingNode, existing_in
from rombel.model.fit_problem import FitProblem, Purchase
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch
from rombel.model.pod import Amounts
from rombel.model.running import Running, RunningNode
from tests.problems import QUICK, items, problem, random_value

FEW = ChangeParams(tries=60)


def crowd(asked: FitProblem, seed: int) -> Existing:
    """Return nodes of the first type, as many as it takes, with the replicas of a problem put on them without any care."""
    rng, nodes = random.Random(seed), []
    for workload in asked.workloads:
        for _ in range(workload.replicas):
            zone = rng.choice(asked.zones)
            name = f"n{len(nodes)}"
            nodes.append(ExistingNode(name, asked.instance_types[0].name, Purchase.ON_DEMAND, zone, {workload.name: 1}))
    return Existing(tuple(nodes))


def made(nodes: dict[str, ExistingNode], step: Step) -> dict[str, ExistingNode]:
    """Return the nodes after a step, by doing what it says."""
    loads = {name: Counter(node.replicas) for name, node in nodes.items()}
    kinds = nodes | {node.name: node for node in step.new}
    loads |= {node.name: Counter() for node in step.new}
    for move in step.moves:
        if move.source:
            loads[move.source][move.workload] -= move.count
        if move.target:
            loads[move.target][move.workload] += move.count
    for node in step.gone:
        assert not +loads.pop(node.name), "a node that goes still carries something"
    return {name: replace(kinds[name], replicas=dict(+load)) for name, load in loads.items()}


class TestSteps(unittest.TestCase):
    def walked(self, asked: FitProblem, present: Existing, road: MigrationPlan) -> None:
        """Make every step and check the state after it against the rules and the money."""
        prices = {e.key(o): o.price_per_hour for e in asked.instance_types for o in e.offers}
        nodes, cost = {node.name: node for node in present.nodes}, road.cost_per_hour
        self.assertEqual(cost, sum(prices[node.key] for node in present.nodes))
        for step in [*road.steps, *([road.evening] if road.evening else [])]:
            nodes = made(nodes, step)
            cost -= step.saving_per_hour
            self.assertEqual(step.cost_per_hour, cost)
            batches = tuple(NodeBatch(*node.key, 1, node.replicas) for node in nodes.values())
            solution = FitSolution(FitStatus.FEASIBLE, asked.currency, cost, Decimal(0), batches)
            self.assertEqual(step.broken, ())
            if check(asked, solution).landing != "not found":
                self.assertEqual(check(asked, solution).violations, ())
        if road.evening is None:
            self.assertEqual(set(nodes), {node.name for node in road.nodes})

    def test_every_state_on_the_way_keeps_every_rule_and_costs_what_is_said(self) -> None:
        for survive in ("none", "standing", "landing"):
            for seed in range(4):
                asked = read_problem(json.dumps(random_value(seed, survive)))
                if fit(asked, params=QUICK).status is not FitStatus.INFEASIBLE:
                    with self.subTest(survive=survive, seed=seed):
                        present = crowd(asked, seed)
                        road = migration_plan(asked, present, params=FEW)
                        self.assertEqual(road.unplaced, {})
                        self.walked(asked, present, road)

    def test_a_step_is_worth_what_it_moves_and_brings(self) -> None:
        asked = problem([("t", (8,), "1"), ("u", (4,), "0.6")], items({(3,): 6, (1,): 9}), zones=("a", "b"))
        cost_of_change = ChangeParams(Decimal("0.05"), Decimal("0.2"), tries=60)
        free = migration_plan(asked, crowd(asked, 1), params=FEW)
        dear = migration_plan(asked, crowd(asked, 1), params=cost_of_change)
        for step in dear.steps:
            self.assertGreaterEqual(
                step.saving_per_hour, cost_of_change.per_move * step.moved + cost_of_change.per_node * len(step.new)
            )
        self.assertTrue(dear.steps)
        self.assertLessEqual(sum(step.moved for step in dear.steps), sum(step.moved for step in free.steps))

    def test_nothing_is_changed_where_nothing_cheaper_exists(self) -> None:
        asked = problem([("t", (8,), "1"), ("u", (4,), "0.6")], items({(3,): 6, (1,): 6}), zones=("a", "b"))
        best = fit(asked)
        self.assertIs(best.status, FitStatus.OPTIMAL)
        single = [batch for batch in best.nodes for _ in range(batch.count)]
        stands = tuple(
            ExistingNode(f"n{n}", batch.instance_type, batch.purchase, batch.zone, batch.replicas)
            for n, batch in enumerate(single)
        )
        self.assertEqual(migration_plan(asked, Existing(stands), params=FEW).steps, ())

    def test_what_is_missing_is_placed_before_anything_is_saved(self) -> None:
        asked = problem([("t", (4,), "1")], items({(2,): 4, (1,): 2}))
        present = Existing((ExistingNode("n", "t", Purchase.ON_DEMAND, "amber", {"w/0": 1, "w/1": 3}),))
        road = migration_plan(asked, present, params=FEW)
        self.assertTrue(road.broken)
        self.assertEqual([step.saving_per_hour for step in road.steps], [Decimal(-2)])
        self.assertEqual({move.workload for move in road.steps[0].moves if not move.target}, {"w/1"})
        self.walked(asked, present, road)

    def test_a_listing_is_read_in_the_words_of_the_problem(self) -> None:
        asked = problem([("t", (4,), "1")], [{"name": "n/a + 2×n/b", "replicas": 2, "request": {"x": 1}}])
        nodes = tuple(RunningNode(name, kind, "amber", Amounts(), 9) for name, kind in (("one", "t"), ("two", "gone")))
        running = Running(nodes, {"one": {"n/a": 3, "n/b": 5, "n/other": 1}, "two": {"n/a": 1}})
        found = existing_in(asked, running)
        self.assertEqual(found.unsold, ("two",))
        self.assertEqual(found.nodes[0].key, ("t", Purchase.ON_DEMAND, "amber"))
        self.assertEqual(found.nodes[0].replicas, {"n/a + 2×n/b": 2})


class TestEvenness(unittest.TestCase):
    def test_of_answers_as_cheap_the_more_even_is_chosen(self) -> None:
        for seed, survive in ((0, "none"), (3, "standing"), (4, "landing"), (7, "none")):
            raw = random_value(seed, survive)
            for workload in raw["workloads"]:
                workload["replicas"] *= 4
            asked = read_problem(json.dumps(raw))
            plain = fit(asked, params=replace(QUICK, most_nodes_evened=0))
            even = fit(asked, params=replace(QUICK, evenness={"x": 2.0, "y": 1.0}))
            self.assertEqual(even.cost_per_hour, plain.cost_per_hour)
            self.assertLessEqual(deviation(asked, even), deviation(asked, plain) + 1e-12)

    def test_fullness_is_the_weighted_share_by_hand(self) -> None:
        """Two nodes of (8, 4): loads (4, 1) and (2, 3) are 3/8 and 1/2 full at equal weights, 1/4 and 3/4 in y alone."""
        asked = problem([("t", (8, 4), "1")], items({(4, 1): 1, (2, 3): 1}, ("x", "y")), resources=("x", "y"))
        nodes = [("t", {"w/0": 1}), ("t", {"w/1": 1})]
        found = evenness(asked, nodes, even_weight(asked, None))
        self.assertEqual((found.least, found.mean, found.most, found.deviation), (0.375, 0.4375, 0.5, 0.0625))
        self.assertEqual(evenness(asked, nodes, even_weight(asked, {"y": 1.0})).most, 0.75)
        with self.assertRaises(InputRefused):
            even_weight(asked, {"z": 1.0})


def deviation(asked: FitProblem, solution: FitSolution) -> float:
    """Return how unevenly the nodes of a solution are filled."""
    nodes = [(batch.instance_type, batch.replicas) for batch in solution.nodes for _ in range(batch.count)]
    return evenness(asked, nodes, even_weight(asked, {"x": 2.0, "y": 1.0})).deviation
