"""Small random problems against a general solver (CP-SAT of OR-Tools) on the straightforward assignment model."""

import json
import random
import unittest
from collections.abc import Iterable
from dataclasses import replace
from decimal import Decimal
from typing import Any

from ortools.sat.python import cp_model

from rombel.fit import fit, proved_floor
from rombel.fit.checker import check
from rombel.formats import read_problem
from rombel.model.fit_solution import Certificate, FitStatus
from tests.problems import QUICK, random_value

MOST_NODES = 5


class Oracle:
    """One integer for every class and candidate node, in the base and in the landing of every zone."""

    def __init__(self, raw: dict[str, Any]) -> None:
        self.raw, self.model = raw, cp_model.CpModel()
        self.mode, self.zones = raw["survive"]["zone"], raw["zones"]
        self.nodes = [
            (kind, zone, self.model.NewBoolVar(""))
            for kind in raw["instance_types"]
            for zone in self.zones
            for _ in range(MOST_NODES)
        ]
        self.base = [[self.model.NewIntVar(0, 20, "") for _ in self.nodes] for _ in raw["workloads"]]
        self._counts()
        self._room({i: self.base[i] for i in range(len(self.base))}, None)
        self._optional()
        if self.mode == "landing":
            for zone in self.zones:
                self._land(zone)

    def _in(self, i: int, zone: str) -> Any:
        return sum(x for x, (_, z, _u) in zip(self.base[i], self.nodes, strict=True) if z == zone)

    def _counts(self) -> None:
        for i, workload in enumerate(self.raw["workloads"]):
            total = sum(self.base[i])
            if self.mode == "standing":
                for zone in self.zones:
                    self.model.Add(total - self._in(i, zone) >= workload["replicas"])
            elif not workload.get("survive", {}).get("nodes"):
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
                    here = self.model.NewBoolVar("")
                    self.model.Add(mine == 0).OnlyEnforceIf(here.Not())
                    self.model.Add(theirs == 0).OnlyEnforceIf(here)
            for zone, fewest in workload.get("stands", {}).items():
                self.model.Add(self._in(i, zone) >= fewest)
            if workload.get("survive", {}).get("nodes"):
                for lost in self.base[i]:
                    self.model.Add(sum(self.base[i]) - lost >= workload["replicas"])
        for quota in self.raw.get("limits", {}).get("quotas", ()):
            held = [used for _, zone, used in self.nodes if zone in quota["zones"]]
            self.model.Add(sum(held) <= quota["most"])

    def _room(self, loads: dict[int, list[Any]], lost: str | None) -> None:
        for place, (kind, zone, used) in enumerate(self.nodes):
            if zone == lost:
                continue
            for resource in ("x", "y"):
                asked = sum(self.raw["workloads"][i]["request"][resource] * load[place] for i, load in loads.items())
                self.model.Add(asked <= kind["allocatable"][resource] * used)
            for i, load in loads.items():
                most = self.raw["workloads"][i]["most_per_node"]
                if most is not None:
                    self.model.Add(load[place] <= most)

    def _land(self, lost: str) -> None:
        loads = {}
        for i, base in enumerate(self.base):
            land = [self.model.NewIntVar(0, 20 if zone != lost else 0, "") for _, zone, _ in self.nodes]
            self.model.Add(sum(land) == self._in(i, lost))
            loads[i] = [x + y for x, y in zip(base, land, strict=True)]
        self._room(loads, lost)

    def cost(self) -> float | None:
        """Return the proved least cost, or None when there is no answer."""
        price = {
            kind["name"]: round(10 * float(kind["offers"][0]["price_per_hour"])) for kind in self.raw["instance_types"]
        }
        self.model.Minimize(sum(price[kind["name"]] * used for kind, _, used in self.nodes))
        solver = cp_model.CpSolver()
        solver.parameters.num_workers = 2
        solver.parameters.max_time_in_seconds = 60
        status = solver.Solve(self.model)
        if status == cp_model.INFEASIBLE:
            return None
        assert status == cp_model.OPTIMAL
        return solver.ObjectiveValue() / 10


def with_rules(seed: int) -> dict[str, Any]:
    """Return a random problem in which every optional rule may stand."""
    raw, rng = random_value(seed, "none"), random.Random(seed)
    names = [entry["name"] for entry in raw["workloads"]]
    for entry in raw["workloads"]:
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
        return {name: price * rng.randint(0, 20) / 10 for name, price in prices.items()}

    room = tuple(replace(entry, prices=bend(entry.prices)) for entry in certificate.room)
    return Certificate({name: bend(prices) for name, prices in certificate.worth.items()}, room)


class TestAgainstCpSat(unittest.TestCase):
    def found(self, cases: Iterable[dict[str, Any]]) -> float:
        """Check that floor and cost enclose every proved optimum; return the share of the optima that were found.

        What a certificate proves is never above the optimum, whatever its prices; with the fit's own it is most of the floor.
        """
        found, all_cases, proofs, rng = 0, 0, [], random.Random(1)
        for number, raw in enumerate(cases):
            with self.subTest(case=number, mode=raw["survive"]["zone"]):
                best, problem = Oracle(raw).cost(), read_problem(json.dumps(raw))
                solution = fit(problem, params=QUICK)
                if best is None:
                    self.assertEqual(solution.status, FitStatus.INFEASIBLE)
                    continue
                self.assertLessEqual(float(solution.floor_per_hour), best + 1e-9)
                self.assertGreaterEqual(float(solution.cost_per_hour), best - 1e-9)
                self.assertTrue(check(problem, solution).holds)
                proved = proved_floor(problem, solution.certificate)
                self.assertLessEqual(float(proved_floor(problem, bent(solution.certificate, rng))), best + 1e-9)
                self.assertLessEqual(float(proved), best + 1e-9)
                proofs.append(float(proved) / float(solution.floor_per_hour))
                all_cases += 1
                found += float(solution.cost_per_hour) <= best + 1e-9
        self.assertGreater(sum(proofs) / len(proofs), 0.75)
        return found / all_cases

    def test_optional_rules_enclose_the_proved_optimum(self) -> None:
        self.assertGreaterEqual(self.found(with_rules(seed) for seed in range(16)), 0.8)

    def test_floor_and_cost_enclose_the_proved_optimum(self) -> None:
        modes = ("none", "standing", "landing")
        self.assertGreaterEqual(self.found(random_value(seed, mode) for seed in range(10) for mode in modes), 0.9)
