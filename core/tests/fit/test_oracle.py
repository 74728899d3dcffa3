"""Small random problems against a general solver (CP-SAT of OR-Tools) on the straightforward assignment model."""

import json
import random
import unittest
from dataclasses import replace
from decimal import Decimal
from typing import Any

from ortools.sat.python import cp_model

from rombel.fit import ExactParams, SearchParams, fit, proved_floor, refit
from rombel.fit.check.checker import check
from rombel.formats import read_problem
from rombel.model.fit_problem import FitProblem
from rombel.model.fit_solution import Certificate, FitStatus
from tests.fit.whole_model import WholeModel, charged_value, wild_value
from tests.problems import QUICK, random_value

# Of a type in a zone; an answer that ran more and cost less than what is proved here would be noticed.
MOST_NODES = 5


class Oracle:
    """One integer for every class and candidate node."""

    def __init__(self, raw: dict[str, Any]) -> None:
        self.raw, self.model = raw, cp_model.CpModel()
        self.zones = raw["zones"]
        self.nodes = [
            (kind, zone, self.model.NewBoolVar(""))
            for kind in raw["instance_types"]
            for zone in self.zones
            for _ in range(MOST_NODES)
        ]
        self.base = [[self.model.NewIntVar(0, 20, "") for _ in self.nodes] for _ in raw["workloads"]]
        self._counts()
        self._room()
        self._optional()

    def _in(self, i: int, zone: str) -> Any:
        return sum(x for x, (_, z, _u) in zip(self.base[i], self.nodes, strict=True) if z == zone)

    def _counts(self) -> None:
        for i, workload in enumerate(self.raw["workloads"]):
            total = sum(self.base[i])
            # Who must outlive a node may have more replicas than asked for; how many follows below.
            if not workload.get("survive", {}).get("nodes"):
                self.model.Add(total == workload["replicas"])
            if workload["zone_skew"] is not None:
                for a in self.zones:
                    for b in self.zones:
                        self.model.Add(self._in(i, a) - self._in(i, b) <= workload["zone_skew"])

    def _optional(self) -> None:
        """Add classes apart, replicas bound to zones, the loss of one node, and quotas over several offers."""
        number = {entry["name"]: i for i, entry in enumerate(self.raw["workloads"])}
        for i, workload in enumerate(self.raw["workloads"]):
            for other in workload.get("apart", ()):
                for mine, theirs in zip(self.base[i], self.base[number[other]], strict=True):
                    # Either the one or the other stands on a node: a choice that a sum cannot say.
                    here = self.model.NewBoolVar("")
                    self.model.Add(mine == 0).OnlyEnforceIf(here.Not())
                    self.model.Add(theirs == 0).OnlyEnforceIf(here)
            for zone, fewest in workload.get("stands", {}).items():
                self.model.Add(self._in(i, zone) >= fewest)
            if workload.get("survive", {}).get("nodes"):
                for lost in self.base[i]:
                    # Whichever node is lost, all that were asked for are left.
                    self.model.Add(sum(self.base[i]) - lost >= workload["replicas"])
        for quota in self.raw.get("limits", {}).get("quotas", ()):
            held = [used for _, zone, used in self.nodes if zone in quota["zones"]]
            self.model.Add(sum(held) <= quota["most"])

    def _room(self) -> None:
        for index, (kind, _, used) in enumerate(self.nodes):
            for resource in ("x", "y"):
                asked = sum(
                    self.raw["workloads"][i]["request"][resource] * load[index] for i, load in enumerate(self.base)
                )
                self.model.Add(asked <= kind["allocatable"][resource] * used)
            for i, load in enumerate(self.base):
                most = self.raw["workloads"][i]["most_per_node"]
                if most is not None:
                    self.model.Add(load[index] <= most)

    def cost(self) -> float | None:
        """Return the proved least cost, or None when there is no answer."""
        price = {
            # These prices have one decimal, the same in all zones.
            kind["name"]: round(10 * float(kind["offers"][0]["price_per_hour"]))
            for kind in self.raw["instance_types"]
        }
        self.model.Minimize(sum(price[kind["name"]] * used for kind, _, used in self.nodes))
        solver = cp_model.CpSolver()
        solver.parameters.num_workers = 2
        solver.parameters.max_time_in_seconds = 60
        status = solver.Solve(self.model)
        if status == cp_model.INFEASIBLE:
            return None
        # Without a proof there is nothing to compare with; a test that took less would prove nothing.
        assert status == cp_model.OPTIMAL
        return solver.ObjectiveValue() / 10


def with_rules(seed: int) -> dict[str, Any]:
    """Return a random problem in which every optional rule may stand."""
    raw, rng = random_value(seed, "none"), random.Random(seed)
    names = [entry["name"] for entry in raw["workloads"]]
    for entry in raw["workloads"]:
        # The spread rule meets all others in the tiny problems below.
        entry["zone_skew"] = None
        if rng.random() < 0.5:
            entry["apart"] = [name for name in names if name != entry["name"] and rng.random() < 0.6]
        if rng.random() < 0.4:
            entry["stands"] = {rng.choice(raw["zones"]): 1}
        if rng.random() < 0.4:
            entry["survive"] = {"nodes": {"count": 1, "how": "standing"}}
    raw["limits"] = {"quotas": [{"name": "few", "zones": raw["zones"][:1], "most": 1}]}
    return raw


def bent(certificate: Certificate, rng: random.Random) -> Certificate:
    """Return the certificate with every price changed by chance, as somebody careless or cunning might hand it in."""

    def bend(prices: Any) -> dict[str, Decimal]:
        # From nothing to twice the price: weights too high are as likely as weights too low.
        return {name: price * rng.randint(0, 20) / 10 for name, price in prices.items()}

    room = tuple(replace(entry, prices=bend(entry.prices)) for entry in certificate.room)
    return Certificate({name: bend(prices) for name, prices in certificate.worth.items()}, room)


class TestAgainstCpSat(unittest.TestCase):
    def enclosed(self, raw: dict[str, Any], best: float | None) -> bool:
        """Check one answer against the proved optimum; return whether the answer is the optimum, and proved to be."""
        problem = read_problem(json.dumps(raw))
        solution = fit(problem, params=QUICK)
        if best is None:
            # The general solver proved that nothing holds; whatever is found would be wrong.
            self.assertFalse(solution.found)
            self.assertTrue(solution.reasons)
            return solution.status is FitStatus.INFEASIBLE
        # There is an answer: to call the problem infeasible would be the gravest of errors.
        self.assertNotEqual(solution.status, FitStatus.INFEASIBLE)
        self.assertTrue(solution.found)
        self.assertTrue(check(problem, solution).holds)
        # The optimum lies between floor and cost; either alone could be met by a fit that knows nothing.
        self.assertLessEqual(float(solution.floor_per_hour), best + 1e-9)
        self.assertGreaterEqual(float(solution.cost_per_hour), best - 1e-9)
        self._certificate(problem, solution.certificate, best)
        return solution.status is FitStatus.OPTIMAL

    def _certificate(self, problem: FitProblem, certificate: Certificate | None, best: float) -> None:
        """Check that what a certificate proves is never above the optimum, whatever its prices."""
        assert certificate is not None
        rng = random.Random(1)
        self.assertLessEqual(float(proved_floor(problem, certificate)), best + 1e-9)
        self.assertLessEqual(float(proved_floor(problem, bent(certificate, rng))), best + 1e-9)

    def test_optional_rules_enclose_the_proved_optimum(self) -> None:
        """With rules on single nodes, which no program of all loads holds, four of five optima are found at least."""
        cases = [with_rules(seed) for seed in range(16)]
        bests = [Oracle(raw).cost() for raw in cases]
        for number, (raw, best) in enumerate(zip(cases, bests, strict=True)):
            with self.subTest(case=number):
                self.enclosed(raw, best)
        # The same input gives the same answer, so what was checked above may be computed again here.
        found = [fit(read_problem(json.dumps(raw)), params=QUICK).cost_per_hour for raw in cases]
        right = [float(cost) <= best + 1e-9 for cost, best in zip(found, bests, strict=True) if best is not None]
        self.assertGreaterEqual(sum(right) / len(right), 0.8)

    def test_tiny_problems_with_every_rule_are_answered_by_the_proved_optimum(self) -> None:
        """Whatever rules of the format meet: the optimum and its proof, or the proof that there is no answer; one tree may be too large."""
        proved = []
        for seed in range(40):
            with self.subTest(seed=seed):
                raw = wild_value(seed)
                proved.append(self.enclosed(raw, WholeModel(raw).cost()))
        self.assertGreaterEqual(sum(proved), 39)

    def test_with_charges_of_zones_the_whole_bill_is_the_proved_optimum(self) -> None:
        """What a zone costs once it is used is minimised with the nodes: cost, floor and certificate against the general solver."""
        proved = []
        for seed in range(200, 240):
            with self.subTest(seed=seed):
                raw = charged_value(seed)
                best, problem = WholeModel(raw).cost(), read_problem(json.dumps(raw))
                proved.append(self.enclosed(raw, best))
                # A quick answer after an edit goes another way to its floor, and has to enclose the same optimum.
                again = refit(problem, fit(problem, params=QUICK))
                if again is not None and best is not None:
                    self.assertLessEqual(float(again.floor_per_hour), best + 1e-9)
                    self.assertGreaterEqual(float(again.cost_per_hour), best - 1e-9)
        self.assertGreaterEqual(sum(proved), 39)

    def test_the_search_alone_never_says_more_than_it_knows(self) -> None:
        """Without the program of all loads an answer still encloses the optimum, and nothing found is not called infeasible."""
        # No column allowed: the program of all loads is left out, and only search and relaxation are left.
        alone = replace(QUICK, exact=ExactParams(most_columns=0), search=SearchParams(work=100_000))
        for seed in range(40, 70):
            raw = wild_value(seed)
            best, solution = WholeModel(raw).cost(), fit(read_problem(json.dumps(raw)), params=alone)
            with self.subTest(seed=seed):
                if best is not None:
                    self.assertNotEqual(solution.status, FitStatus.INFEASIBLE)
                    self.assertLessEqual(float(solution.floor_per_hour), best + 1e-9)
                if solution.found:
                    assert best is not None
                    self.assertGreaterEqual(float(solution.cost_per_hour), best - 1e-9)
