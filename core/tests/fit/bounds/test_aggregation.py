"""Many classes are relaxed in groups: what that proves is nearly what its own nodes cost, however coarse the requests are."""

import json
import random
import unittest

from rombel.fit.bounds.aggregation import MOST_ROWS, relax
from rombel.fit.bounds.linking import build_linking
from rombel.fit.problem.building import build_instance
from rombel.fit.problem.one_form import in_one_form
from rombel.formats import read_problem
from tests.problems import value

ZONES, RESOURCES = ("amber", "birch", "cedar"), ("cpu_millicores", "memory_bytes")


class TestGroups(unittest.TestCase):
    def test_mean_requests_lose_nothing_to_the_units_of_the_problem(self) -> None:
        rng = random.Random(5)
        types = [
            (f"t{n}", (cores * 4, cores * ratio), f"{cores * (0.02 + 0.005 * ratio) * rng.uniform(0.95, 1.05):.4f}")
            for n, (cores, ratio) in enumerate((c, r) for c in (4, 8, 16) for r in (2, 4, 8))
        ]
        sizes = [(cores, cores * rng.choice((1, 2, 3))) for cores in (rng.randint(1, 5) for _ in range(160))]
        workloads = [
            {
                "name": f"w/{n}",
                "replicas": rng.randint(5, 40),
                "request": dict(zip(RESOURCES, size, strict=True)),
                "zone_skew": 1,
            }
            for n, size in enumerate(sizes)
        ]
        self.assertGreater(len(workloads) * len(ZONES), MOST_ROWS)
        for unit in (1, 250 * 2**18):  # In quarters of a core and in GiB; the same amounts in finer units.
            raw = value(types, workloads, ZONES, resources=RESOURCES)
            for entry in raw["instance_types"]:
                entry["allocatable"] = {name: amount * unit for name, amount in entry["allocatable"].items()}
            for entry in raw["workloads"]:
                entry["request"] = {name: amount * unit for name, amount in entry["request"].items()}
            instance = build_instance(in_one_form(read_problem(json.dumps(raw))))
            start = relax(build_linking(instance))
            cost = float((start.nodes * instance.cost).sum())
            self.assertLessEqual(start.floor, cost * (1 + 1e-9))
            self.assertLess(cost, 1.004 * start.floor)
