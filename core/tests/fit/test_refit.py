"""An answer after an edit starts from the last one: it holds, its floor is one, and it is never worse than leaving things as they are."""

import json
import random
import unittest
from dataclasses import replace

from bench.instances import Realistic, realistic

from rombel.fit import FitParams, check, fit, refit
from rombel.fit.bounds.aggregation import relax
from rombel.fit.bounds.divisible import solve_divisible
from rombel.fit.bounds.linking import build_linking
from rombel.fit.problem.building import build_instance
from rombel.fit.search.ruin_and_recreate import SearchParams
from rombel.formats import read_problem
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import FitStatus
from tests.problems import random_value

TINY = FitParams(search=SearchParams(work=200_000))


def edited(problem: FitProblem, rng: random.Random) -> FitProblem:
    """Return the problem with one workload larger, one gone or one new."""
    first, *rest = problem.workloads
    how = rng.randrange(3)
    if how == 0:
        return replace(problem, workloads=(replace(first, replicas=first.replicas + 1), *rest))
    if how == 1 and rest:
        return replace(problem, workloads=tuple(rest))
    return replace(problem, workloads=(*problem.workloads, replace(first, name="w/new", zone_skew=None)))


class TestRefit(unittest.TestCase):
    def test_after_any_edit_the_answer_holds_and_encloses_the_optimum_with_its_floor(self) -> None:
        served = 0
        for seed in range(24):
            problem = read_problem(json.dumps(random_value(seed, ("none", "standing", "landing")[seed % 3])))
            before = fit(problem, params=TINY)
            if before.status is FitStatus.INFEASIBLE:
                self.assertIsNone(refit(problem, before))
                continue
            same = refit(problem, before)
            self.assertLessEqual(same.cost_per_hour, before.cost_per_hour)
            changed = edited(problem, random.Random(seed))
            quick, whole = refit(changed, before), fit(changed, params=TINY, before=before)
            if quick is None:
                continue
            served += 1
            self.assertTrue(check(changed, quick).holds)
            self.assertLessEqual(quick.floor_per_hour, whole.cost_per_hour)
            self.assertGreaterEqual(quick.cost_per_hour, whole.floor_per_hour)
        self.assertGreater(served, 15)

    def test_a_small_edit_of_a_large_answer_stays_close_and_the_next_whole_fit_starts_there(self) -> None:
        problem = realistic(3, Realistic(classes=60, types=24, zones=3, survive="landing", replicas=600))
        before = fit(problem, params=TINY)
        first, *rest = problem.workloads
        more = replace(problem, workloads=(replace(first, replicas=first.replicas + 3), *rest))
        quick = refit(more, before)
        self.assertLess(float(quick.cost_per_hour / before.cost_per_hour), 1.03)
        self.assertLess(float(quick.cost_per_hour / quick.floor_per_hour), 1.15)
        self.assertLessEqual(fit(more, params=TINY, before=quick).cost_per_hour, quick.cost_per_hour)

    def test_classes_relaxed_in_groups_prove_nearly_what_all_of_them_prove_and_never_more(self) -> None:
        for seed, survive in ((1, "none"), (2, "standing"), (3, "none")):
            shape = Realistic(classes=70, types=24, zones=3, survive=survive, replicas=900)
            linking = build_linking(build_instance(realistic(seed, shape)))
            grouped, exact = relax(linking), solve_divisible(linking)
            self.assertLessEqual(grouped.floor, exact.floor * (1 + 1e-5))
            self.assertGreater(grouped.floor, exact.floor * 0.997)
