"""The bounds lie in their order below the cheapest answer, and each is what a reference solver (SciPy's HiGHS) reads off the problem."""

import itertools
import json
import random
import unittest

import numpy as np
from scipy.optimize import linprog

from rombel.fit import fit
from rombel.fit.bounds.aggregation import relax
from rombel.fit.bounds.linking import Linking, build_linking
from rombel.fit.bounds.patterns import PatternParams, generate_patterns
from rombel.fit.bounds.simplex import MANY, divisible_loads
from rombel.fit.bounds.whole_nodes import WholeParams, solve_whole
from rombel.fit.problem.building import build_instance
from rombel.formats import read_problem
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitStatus
from tests.problems import items, problem, random_value

CLOSE = 1e-6


def linked(asked: FitProblem) -> Linking:
    return build_linking(build_instance(asked))


def divisible_value(asked: FitProblem) -> float:
    """Return the least cost an hour where replicas and nodes may be cut, for a problem without promise and spread."""
    offers = [(entry, offer) for entry in asked.instance_types for offer in entry.offers]
    classes, width = len(asked.workloads), len(asked.resources)
    count = len(offers) * (1 + classes)
    rows, equal = [], np.zeros((classes, count))
    for j, (entry, _) in enumerate(offers):
        own = slice(len(offers) + j * classes, len(offers) + (j + 1) * classes)
        for r in range(width):
            row = np.zeros(count)
            row[j], row[own] = -asked.usable(entry)[r], [w.request[r] for w in asked.workloads]
            rows.append(row)
        equal[:, own] = np.eye(classes)
    costs = np.zeros(count)
    costs[: len(offers)] = [float(offer.price_per_hour) for _, offer in offers]
    found = linprog(
        costs, np.array(rows), np.zeros(len(rows)), equal, [w.replicas for w in asked.workloads], method="highs"
    )
    return float(found.fun)


def pattern_value(
    sizes: list[tuple[int, int]], counts: list[int], rooms: list[tuple[int, int]], prices: list[float]
) -> float:
    """Return the value of the linear program over every pattern (Gilmore and Gomory 1961, Oper. Res. 9:849-859), all enumerated."""
    columns, costs = [], []
    for room, price in zip(rooms, prices, strict=True):
        for pattern in itertools.product(*(range(count + 1) for count in counts)):
            if all(sum(n * s[r] for n, s in zip(pattern, sizes, strict=True)) <= room[r] for r in range(2)):
                columns.append(pattern)
                costs.append(price)
    cover = -np.array(columns, float).T
    return float(linprog(costs, cover, [-count for count in counts], method="highs").fun)


class TestNodeProgram(unittest.TestCase):
    def test_the_best_divisible_load_against_scipy_and_its_weights_cover_every_class(self) -> None:
        rng = np.random.default_rng(5)
        for _ in range(80):
            classes, width = int(rng.integers(1, 7)), int(rng.integers(1, 5))
            request, capacity = rng.integers(0, 9, (classes, width)), rng.integers(5, 40, (1, width))
            request[:, 0] += 1  # Every replica asks for something.
            values = rng.random((1, classes)) * rng.choice([0.0, 1.0, 5.0], (1, classes))
            limits = np.where(rng.random((1, classes)) < 0.4, MANY, rng.integers(0, 5, (1, classes)))
            weights, _, pays = divisible_loads(values, limits, request, capacity)
            bounds = [(0, None if limit >= MANY else limit) for limit in limits[0]]
            truth = -linprog(-values[0], request.T, capacity[0], bounds=bounds, method="highs").fun
            self.assertAlmostEqual(float(pays[0]), truth, 6)
            self.assertTrue((weights >= 0).all())
            free = limits[0] >= MANY
            self.assertTrue((values[0][free] <= (request[free] @ weights[0]) * (1 + 1e-9) + 1e-9).all())


class TestBounds(unittest.TestCase):
    def test_the_divisible_relaxation_is_the_linear_program_of_the_problem(self) -> None:
        for seed in range(25):
            rng = random.Random(seed)
            types = [
                (f"t{n}", (rng.randint(20, 60), rng.randint(20, 60)), f"{rng.randint(5, 30) / 10}") for n in range(3)
            ]
            sizes = {(rng.randint(1, 6), rng.randint(1, 6)): rng.randint(3, 12) for _ in range(4)}
            asked = problem(types, items(sizes, ("x", "y")), resources=("x", "y"))
            linking = linked(asked)
            found = relax(linking).floor * linking.instance.money_per_cost
            # It may add what a whole node can hold at most of a class, which the plain program does not know.
            self.assertGreaterEqual(found, divisible_value(asked) * (1 - CLOSE), seed)
            self.assertLessEqual(found, float(fit(asked).cost_per_hour) * (1 + CLOSE), seed)

    def test_column_generation_ends_at_the_program_over_every_pattern(self) -> None:
        for seed in range(20):
            rng = random.Random(seed)
            rooms = [(rng.randint(6, 14), rng.randint(6, 14)) for _ in range(2)]
            prices = [rng.randint(5, 30) / 10 for _ in rooms]
            sizes = {(rng.randint(1, 6), rng.randint(1, 6)): rng.randint(1, 4) for _ in range(3)}
            types = [(f"t{n}", room, str(price)) for n, (room, price) in enumerate(zip(rooms, prices, strict=True))]
            linking = linked(problem(types, items(sizes, ("x", "y")), resources=("x", "y")))
            start, params = relax(linking), PatternParams()
            found = generate_patterns(linking, start, lambda _: False, params)
            truth = pattern_value(list(sizes), list(sizes.values()), rooms, prices)
            floor, value = (amount * linking.instance.money_per_cost for amount in (found.floor, found.value))
            self.assertLessEqual(floor, truth * (1 + CLOSE), seed)
            self.assertGreaterEqual(value, truth * (1 - CLOSE), seed)
            self.assertGreaterEqual(floor, truth * (1 - 2 * params.close_enough), seed)
            stopped = generate_patterns(linking, start, lambda _: True, params)
            self.assertLessEqual(stopped.floor * linking.instance.money_per_cost, truth * (1 + CLOSE), seed)

    def test_every_bound_lies_below_the_cheapest_answer_under_every_promise(self) -> None:
        proved = 0
        for seed in range(36):
            asked = read_problem(json.dumps(random_value(seed, ("none", "landing", "standing")[seed % 3])))
            answer = fit(asked)
            if answer.status is not FitStatus.OPTIMAL:
                continue
            proved += 1
            linking, cost = linked(asked), float(answer.cost_per_hour)
            start, unit = relax(linking), linking.instance.money_per_cost
            patterns = generate_patterns(linking, start, lambda _: False, PatternParams())
            whole = solve_whole(linking, cost / unit, WholeParams())
            assert whole is not None
            for name, floor in (("divisible", start.floor), ("patterns", patterns.floor), ("whole nodes", whole.floor)):
                self.assertLessEqual(floor * unit, cost * (1 + CLOSE), (seed, name))
            self.assertGreaterEqual(patterns.floor, start.floor)
            self.assertGreaterEqual(whole.floor, start.floor * (1 - 1e-5))
            if whole.nodes is not None:  # Its own answer has whole nodes, at what it says it costs.
                self.assertGreaterEqual(float(whole.nodes @ linking.instance.cost), whole.floor * (1 - 1e-5))
        self.assertGreater(proved, 20)
