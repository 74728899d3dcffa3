"""Seeded instances in the interchange format: published families of bin packing, and ones of the trade's shape."""

from __future__ import annotations

import json
import random
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

from rombel.formats import read_problem
from rombel.model.fit_problem import FitProblem

# Invented: name, GiB a vCPU, price an hour a vCPU, architecture. Memory is dearer than CPU in none of them by much.
FAMILIES = (
    ("tern", 4, 0.046, "x86"),
    ("auk", 2, 0.038, "x86"),
    ("eider", 8, 0.062, "x86"),
    ("wren", 4, 0.037, "arm"),
    ("petrel", 8, 0.050, "arm"),
    ("skua", 2, 0.031, "arm"),
    ("knot", 4, 0.049, "x86"),
    ("fulmar", 16, 0.095, "x86"),
    ("dunlin", 3, 0.043, "x86"),
    ("gannet", 1, 0.034, "x86"),
    ("plover", 6, 0.055, "x86"),
    ("razor", 4, 0.047, "x86"),
    ("siskin", 2, 0.037, "x86"),
    ("twite", 8, 0.061, "x86"),
    ("shag", 4, 0.039, "arm"),
    ("linnet", 12, 0.077, "x86"),
    ("scoter", 5, 0.050, "x86"),
    ("whimbrel", 7, 0.058, "x86"),
    ("pipit", 3, 0.036, "arm"),
    ("garganey", 10, 0.070, "x86"),
)
SIZES = (2, 4, 8, 16, 32, 48, 64, 6, 12, 24)
ZONES = ("amber", "birch", "cedar", "drift", "elm")
ONE_BIN = {"price_per_hour": "1", "zone": "amber", "purchase": "on-demand"}


@dataclass(frozen=True, slots=True)
class Realistic:
    """How a realistic instance is drawn: sizes, zones, promise, and the replicas of all classes together."""

    classes: int = 20
    types: int = 12
    zones: int = 3
    survive: str = "none"
    replicas: int = 200


def packing(sizes: Sequence[tuple[int, ...]], capacity: tuple[int, ...]) -> FitProblem:
    """Return bin packing as a fit: one type of node at price 1 in one zone, equal items as one class."""
    names = [f"r{number}" for number in range(len(capacity))]
    workloads = [
        {"name": f"i/{place}", "replicas": count, "request": dict(zip(names, size, strict=True))}
        for place, (size, count) in enumerate(sorted(Counter(sizes).items()))
    ]
    kind = {"name": "bin", "allocatable": dict(zip(names, capacity, strict=True)), "offers": [ONE_BIN]}
    return _read(["amber"], names, [kind], workloads, "none")


def uniform(seed: int, items: int) -> FitProblem:
    """Return items of 20 to 100 in bins of 150 (Falkenauer 1996, J. Heuristics 2:5-30, from memory)."""
    rng = random.Random(seed)
    return packing([(rng.randint(20, 100),) for _ in range(items)], (150,))


def triplets(seed: int, bins: int) -> FitProblem:
    """Return triples that fill bins of 1000 exactly (Falkenauer 1996, from memory): ``bins`` is the optimum."""
    rng, sizes = random.Random(seed), []
    while len(sizes) < 3 * bins:
        first = rng.randint(380, 490)
        second = rng.randint(251, (1000 - first) // 2)
        third = 1000 - first - second
        if 250 < third < 500:
            sizes += [(first,), (second,), (third,)]
    rng.shuffle(sizes)
    return packing(sizes, (1000,))


def vectors(seed: int, family: int, items: int) -> FitProblem:
    """Return items in two dimensions, families 1 to 8 of Caprara and Toth 2001 (from memory)."""
    rng = random.Random(1000 * family + seed)
    low, high, room = {
        1: (100, 400, 1000),
        2: (1, 1000, 1000),
        3: (200, 800, 1000),
        4: (50, 200, 1000),
        5: (25, 100, 1000),
        6: (20, 100, 150),
        7: (20, 100, 150),
        8: (20, 100, 150),
    }[family]

    def second(first: int) -> int:
        if family == 7:
            return rng.randint(max(1, first - 10), first + 10)
        # Family 7 has both sizes alike, family 8 a large one with a small one: the easiest and the hardest to pair.
        return rng.randint(110 - first, 130 - first) if family == 8 else rng.randint(low, high)

    sizes = [(first, second(first)) for first in (rng.randint(low, high) for _ in range(items))]
    return packing(sizes, (room, room))


def realistic(seed: int, shape: Realistic) -> FitProblem:
    """Return a problem with families of types, two architectures, missing offers, spread rules and one-per-node classes."""
    rng, names = random.Random(seed), list(ZONES[: shape.zones])
    per_size = -(-shape.types // len(SIZES)) if shape.types > 40 else -(-shape.types // 4)
    pairs = [(family, size) for size in SIZES for family in FAMILIES[: max(per_size, 3)]][: shape.types]
    kinds = [_kind(rng, family, vcpu, names) for family, vcpu in pairs]
    arm = [f"{family[0]}-{vcpu}" for family, vcpu in pairs if family[3] == "arm"]
    both = len({family[3] for family, _ in pairs}) == 2
    x86 = [f"{family[0]}-{vcpu}" for family, vcpu in pairs if family[3] == "x86"]
    # Few large workloads and many small ones: common practice, no source.
    shares = [rng.lognormvariate(0, 1.1) for _ in range(shape.classes)]
    unit = shape.replicas / sum(shares)
    workloads = [_workload(rng, number, max(1, round(unit * share))) for number, share in enumerate(shares)]
    for entry in workloads:
        draw = rng.random()
        # Half run on one architecture only, a tenth on the other, the rest on both.
        if both and draw < 0.6:
            entry["instance_types"] = x86 if draw < 0.5 else arm
    return _read(names, ["cpu_millicores", "memory_bytes", "pods"], kinds, workloads, shape.survive)


def _kind(rng: random.Random, family: tuple[str, int, float, str], vcpu: int, zones: list[str]) -> dict[str, object]:
    name, gib, price, _ = family
    room = {
        # What a node keeps for itself, some of it for each vCPU.
        "cpu_millicores": vcpu * 1000 - 100 - 5 * vcpu,
        "memory_bytes": vcpu * gib * 2**30 - (700 + 40 * vcpu) * 2**20,
        "pods": 110,
    }
    offers = [
        {"zone": zone, "purchase": "on-demand", "price_per_hour": f"{price * vcpu * rng.uniform(0.98, 1.02):.4f}"}
        for zone in zones
        # One offer in ten is missing, so that zones are not alike; prices differ by two in a hundred.
        if len(zones) == 1 or rng.random() > 0.1
    ]
    return {"name": f"{name}-{vcpu}", "allocatable": room, "offers": offers}


def _workload(rng: random.Random, number: int, replicas: int) -> dict[str, object]:
    cpu = rng.choice([50, 100, 100, 200, 250, 250, 500, 500, 750, 1000, 1500])
    return {
        "name": f"ns/w{number}",
        "replicas": replicas,
        "request": {"cpu_millicores": cpu, "memory_bytes": int(cpu * rng.uniform(0.8, 8) * 2**20)},
        "most_per_node": 1 if rng.random() < 0.1 and replicas < 200 else None,
        "zone_skew": 1 if rng.random() < 0.6 else None,
    }


def _read(
    zones: list[str],
    resources: list[str],
    kinds: list[dict[str, object]],
    workloads: list[dict[str, object]],
    survive: str,
) -> FitProblem:
    raw = {
        "format": "rombel-fit-problem/1",
        "currency": "EUR",
        "zones": zones,
        "resources": resources,
        "daemon": {"cpu_millicores": 200, "memory_bytes": 2**28, "pods": 3} if len(resources) == 3 else {},
        "instance_types": kinds,
        "workloads": workloads,
        "survive": {"zone": survive},
    }
    return read_problem(json.dumps(raw))
