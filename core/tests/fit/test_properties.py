"""What must hold for every fit, whatever the problem."""

import copy
import json
import unittest
from decimal import Decimal

from hypothesis import given, settings
from hypothesis import strategies as st

from rombel.fit import FitParams, Progress, check, fit
from rombel.fit.search.ruin_and_recreate import SearchParams
from rombel.formats import read_problem, write_solution
from rombel.model.fit_solution import FitStatus
from tests.problems import QUICK, items, problem, random_value

TINY = FitParams(search=SearchParams(work=200_000))


class TestProperties(unittest.TestCase):
    @settings(max_examples=25, deadline=None)
    @given(seed=st.integers(0, 10_000), mode=st.sampled_from(["none", "standing", "landing"]))
    def test_answers_hold_and_scale_free(self, seed: int, mode: str) -> None:
        """Every answer passes the checker; twice the requests on twice the room changes nothing."""
        raw = random_value(seed, mode)
        given_problem = read_problem(json.dumps(raw))
        solution = fit(given_problem, params=TINY)
        self.assertTrue(check(given_problem, solution).holds)
        doubled = copy.deepcopy(raw)
        for entry in doubled["instance_types"]:
            entry["allocatable"] = {name: 2 * amount for name, amount in entry["allocatable"].items()}
        for entry in doubled["workloads"]:
            entry["request"] = {name: 2 * amount for name, amount in entry["request"].items()}
        twice = fit(read_problem(json.dumps(doubled)), params=TINY)
        self.assertEqual((twice.status, twice.cost_per_hour), (solution.status, solution.cost_per_hour))

    def test_same_input_and_seed_give_the_same_file(self) -> None:
        raw = json.dumps(random_value(5, "landing"))
        first, second = (write_solution(fit(read_problem(raw), seed=3, params=TINY)) for _ in range(2))
        self.assertEqual(first, second)

    def test_a_promise_never_lowers_the_floor_nor_does_a_replica(self) -> None:
        counts = {(3, 2): 4, (2, 5): 5}
        floors = [
            fit(
                problem([("m", (9, 9), "1")], items(counts, ("x", "y")), ("a", "b", "c"), mode, ("x", "y")),
                params=QUICK,
            ).floor_per_hour
            for mode in ("none", "landing", "standing")
        ]
        self.assertEqual(floors, sorted(floors))
        more = problem(
            [("m", (9, 9), "1")], items({(3, 2): 5, (2, 5): 5}, ("x", "y")), ("a", "b", "c"), "none", ("x", "y")
        )
        self.assertGreaterEqual(fit(more, params=QUICK).floor_per_hour, floors[0])

    def test_limits_on_pools_nodes_and_quotas_are_kept(self) -> None:
        types = [("a", (7,), "1.00"), ("b", (11,), "1.55"), ("c", (4,), "0.60")]
        given_problem = problem(
            types, items({(3,): 9, (4,): 7, (2,): 8}), ("x", "y"), limits={"most_pools": 1, "fewest_nodes_per_pool": 3}
        )
        solution = fit(given_problem, params=QUICK)
        self.assertEqual(len({group.instance_type for group in solution.nodes}), 1)

    def test_stopped_early_keeps_the_best_so_far(self) -> None:
        class Impatient:
            def on_progress(self, progress: Progress) -> bool:
                return progress.cost_per_hour > 0

        counts = {(3, 2): 14, (2, 5): 15, (1, 1): 9, (4, 4): 6}
        types = [("m", (9, 9), "1.01"), ("n", (13, 11), "1.43")]
        given_problem = problem(types, items(counts, ("x", "y")), ("a", "b", "c"), "landing", ("x", "y"))
        solution = fit(given_problem, observer=Impatient())
        self.assertIn(solution.status, (FitStatus.STOPPED, FitStatus.OPTIMAL))
        self.assertGreater(solution.floor_per_hour, Decimal(0))


class TestInfeasible(unittest.TestCase):
    def reasons(self, *args: object, **more: object) -> str:
        solution = fit(problem(*args, **more), params=QUICK)
        self.assertEqual((solution.status, solution.nodes), (FitStatus.INFEASIBLE, ()))
        return " ".join(solution.reasons)

    def test_the_reason_is_given_in_the_planners_terms(self) -> None:
        big = [{"name": "shop/huge", "replicas": 1, "request": {"cpu_millicores": 9000}}]
        said = self.reasons([("tern-4", (3920,), "1")], big, resources=("cpu_millicores",))
        for word in ("shop/huge", "9 CPU", "tern-4 in amber", "3920m CPU"):
            self.assertIn(word, said)

    def test_every_way_to_be_infeasible_says_which(self) -> None:
        one = [{"name": "w/0", "replicas": 3, "request": {"x": 1}}]
        node = [("m", (5,), "1")]
        self.assertIn("cannot be survived", self.reasons(node, one, ("a",), "landing"))
        self.assertIn("cannot be survived", self.reasons(node, one, ("a",), "standing"))
        self.assertIn("no offer", self.reasons(node, [{**one[0], "instance_types": []}]))
        self.assertIn("no offer", self.reasons([], one))
        self.assertIn("equal counts", self.reasons(node, [{**one[0], "equal_zones": True}], ("a", "b")))
        short = {"instance_types": [{"name": "m", "allocatable": {"x": 1}, "offers": [
            {"zone": "amber", "purchase": "on-demand", "price_per_hour": "1", "most_nodes": 2}]}]}  # fmt: skip
        self.assertIn("2 of 3 replicas can be placed at most", self.reasons(node, one, **short))

    def test_nothing_asked_costs_nothing(self) -> None:
        solution = fit(problem([("m", (5,), "1")], []))
        self.assertEqual((solution.status, solution.cost_per_hour), (FitStatus.OPTIMAL, 0))
