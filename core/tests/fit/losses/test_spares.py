"""Lost nodes whose replicas land: room is kept for any of them, the checker sees to it, and smaller nodes lose less."""

import json
import unittest
from dataclasses import replace
from itertools import combinations

from rombel.fit import check, fit
from rombel.formats import read_problem, read_solution, write_solution
from rombel.model.fit_problem import FitProblem, Limits
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch
from tests.problems import QUICK, random_value, value


def asked(seed: int, count: int) -> FitProblem:
    raw = random_value(seed, "none")
    raw["survive"] = {"zone": "none", "nodes": {"count": count, "how": "landing"}}
    return read_problem(json.dumps(raw))


def lands(problem: FitProblem, solution: FitSolution, gone: tuple[int, ...]) -> bool:
    """Return whether the replicas of these nodes fit on the others, all ways tried."""
    nodes = [node for node in solution.nodes for _ in range(node.count)]
    workloads = {entry.name: entry for entry in problem.workloads}
    types = {entry.name: entry for entry in problem.instance_types}
    left = [dict(node.replicas) for index, node in enumerate(nodes) if index not in gone]
    kinds = [types[node.instance_type] for index, node in enumerate(nodes) if index not in gone]
    waiting = [n for index in gone for n, number in nodes[index].replicas.items() for _ in range(number)]

    def index(number: int) -> bool:
        if number == len(waiting):
            return True
        name = waiting[number]
        for held, kind in zip(left, kinds, strict=True):
            held[name] = held.get(name, 0) + 1
            most = workloads[name].most_per_node
            room = all(
                sum(workloads[n].request[r] * k for n, k in held.items()) <= usable
                for r, usable in enumerate(problem.usable(kind))
            )
            if room and (most is None or held[name] <= most) and index(number + 1):
                return True
            held[name] -= 1
        return False

    return index(0)


class TestLostNodes(unittest.TestCase):
    def test_whichever_nodes_are_lost_their_replicas_land_by_trying_every_loss(self) -> None:
        for seed in range(8):
            for count in (1, 2):
                problem = asked(seed, count)
                solution = fit(problem, params=QUICK)
                if solution.status is FitStatus.INFEASIBLE:
                    continue
                with self.subTest(seed=seed, count=count):
                    self.assertEqual(check(problem, solution).violations, ())
                    total = sum(node.count for node in solution.nodes)
                    for gone in combinations(range(total), count):
                        self.assertTrue(lands(problem, solution, gone))
                    self.assertEqual(read_solution(write_solution(solution)), solution)

    def test_the_checker_refuses_an_answer_without_the_room(self) -> None:
        problem = asked(3, 1)
        bare = fit(replace(problem, survive_nodes=type(problem.survive_nodes)()), params=QUICK)
        full = NodeBatch(
            bare.nodes[0].instance_type, bare.nodes[0].purchase, bare.nodes[0].zone, 1, bare.nodes[0].replicas
        )
        alone = replace(
            problem,
            workloads=tuple(
                replace(w, replicas=full.replicas.get(w.name, 0), zone_skew=None) for w in problem.workloads
            ),
        )
        price = next(o.price_per_hour for e in alone.instance_types for o in e.offers if e.key(o) == full.offer)
        answer = replace(bare, nodes=(full,), cost_per_hour=price, floor_per_hour=price, certificate=None)
        self.assertTrue(any("find no room to land" in line for line in check(alone, answer).violations))

    def test_many_small_nodes_keep_less_back_than_few_large_ones_and_quotas_are_kept(self) -> None:
        types = [("large", (16,), "1.60"), ("small", (4,), "0.41")]
        workloads = [{"name": "w/a", "replicas": 16, "request": {"x": 2}}]
        raw = value(types, workloads, survive="none") | {
            "survive": {"zone": "none", "nodes": {"count": 1, "how": "landing"}}
        }
        solution = fit(read_problem(json.dumps(raw)), params=QUICK)
        self.assertEqual({node.instance_type for node in solution.nodes}, {"small"})
        self.assertEqual(sum(node.count for node in solution.nodes), 9)
        tight = replace(read_problem(json.dumps(raw)), limits=Limits())
        types_tight = tuple(
            replace(e, offers=tuple(replace(o, most_nodes=8 if e.name == "small" else 0) for o in e.offers))
            for e in tight.instance_types
        )
        self.assertIs(fit(replace(tight, instance_types=types_tight), params=QUICK).status, FitStatus.UNKNOWN)

    def test_two_lost_nodes_never_count_on_the_same_host(self) -> None:
        raw = value([("node", (4,), "1.00")], [{"name": "w/a", "replicas": 3, "request": {"x": 2}}], survive="none")
        raw |= {"survive": {"zone": "none", "nodes": {"count": 2, "how": "landing"}}}
        for number, enough in ((3, False), (4, True)):
            raw["workloads"][0] |= {"replicas": number, "most_per_node": 2}
            problem = read_problem(json.dumps(raw))
            zone = problem.zones[0]
            offer = next(o for o in problem.instance_types[0].offers if o.zone == zone)
            nodes = (NodeBatch("node", offer.purchase, zone, number, {"w/a": 1}),)
            answer = FitSolution(
                FitStatus.FEASIBLE, problem.currency, number * offer.price_per_hour, offer.price_per_hour, nodes
            )
            self.assertEqual(all(lands(problem, answer, gone) for gone in combinations(range(number), 2)), enough)
            self.assertEqual(not check(problem, answer).violations, enough, check(problem, answer).violations)

    def test_what_is_bound_to_its_zone_lands_on_a_node_of_that_zone(self) -> None:
        workloads = [{"name": "w/a", "replicas": 2, "request": {"x": 4}, "zone_skew": 0, "bound_to_zone": True}]
        raw = value([("node", (4,), "1.00")], workloads, ("amber", "birch"), "none")
        raw |= {"survive": {"zone": "none", "nodes": {"count": 1, "how": "landing"}}}
        free = json.loads(json.dumps(raw))
        free["workloads"][0]["bound_to_zone"] = False
        solution, one_spare = (
            fit(read_problem(json.dumps(raw)), params=QUICK),
            fit(read_problem(json.dumps(free)), params=QUICK),
        )
        self.assertEqual(sum(node.count for node in one_spare.nodes), 3)
        self.assertEqual(sum(node.count for node in solution.nodes), 4)
        violations = check(read_problem(json.dumps(raw)), one_spare).violations
        self.assertTrue(any("find no room to land" in line for line in violations))
