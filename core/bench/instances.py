"""Seeded instances of the trade's shape, in the interchange format."""

from __future__ import annotations

import json
import random

from rombel.formats import read_problem
from rombel.model.fit_problem import FitProblem

FAMILIES = (("tern", 4, 0.046), ("auk", 2, 0.038), ("eider", 8, 0.062), ("wren", 3, 0.041), ("petrel", 4, 0.040))


def realistic(seed: int, classes: int, types: int, zones: int, survive: str, most_replicas: int) -> FitProblem:
    """Return a problem with instance families, missing offers, spread rules and one-per-node workloads."""
    rng = random.Random(seed)
    names = ["amber", "birch", "cedar", "drift", "elm"][:zones]
    sizes = [(family, vcpu) for vcpu in (2, 4, 8, 16) for family in FAMILIES][:types]
    kinds = []
    for (family, gib, price), vcpu in sizes:
        room = {
            "cpu_millicores": vcpu * 1000 - 100 - 5 * vcpu,
            "memory_bytes": vcpu * gib * 2**30 - 700 * 2**20,
            "pods": 110,
        }
        offers = [
            {"zone": zone, "purchase": "on-demand", "price_per_hour": f"{price * vcpu * rng.uniform(0.98, 1.02):.4f}"}
            for zone in names
            if rng.random() > 0.1
        ]
        kinds.append({"name": f"{family}-{vcpu}", "allocatable": room, "offers": offers})
    workloads = [_workload(rng, number, most_replicas) for number in range(classes)]
    raw = {
        "format": "rombel-fit-problem/1",
        "currency": "EUR",
        "zones": names,
        "resources": ["cpu_millicores", "memory_bytes", "pods"],
        "daemon": {"cpu_millicores": 200, "memory_bytes": 2**28, "pods": 3},
        "instance_types": kinds,
        "workloads": workloads,
        "survive": {"zone": survive},
    }
    return read_problem(json.dumps(raw))


def _workload(rng: random.Random, number: int, most_replicas: int) -> dict[str, object]:
    cpu = rng.choice([100, 200, 250, 500, 750, 1000, 1500, 2000, 3000])
    return {
        "name": f"ns/w{number}",
        "replicas": rng.randint(2, most_replicas),
        "request": {"cpu_millicores": cpu, "memory_bytes": int(cpu * rng.uniform(1, 8) * 2**20)},
        "most_per_node": 1 if rng.random() < 0.1 else None,
        "zone_skew": 1 if rng.random() < 0.6 else None,
    }
