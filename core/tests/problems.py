"""Small problems for the tests, in the interchange format."""

import random
from collections.abc import Sequence
from typing import Any

from rombel.fit import FitParams
from rombel.fit.search.ruin_and_recreate import SearchParams
from rombel.formats import read_problem
from rombel.model.fit_problem import FitProblem

QUICK = FitParams(search=SearchParams(work=1_500_000))


def value(
    types: Sequence[tuple[str, Sequence[int], str]],
    workloads: Sequence[dict[str, Any]],
    zones: Sequence[str] = ("amber",),
    survive: str = "none",
    resources: Sequence[str] = ("x",),
    **more: Any,
) -> dict[str, Any]:
    """Return a problem as plain JSON values; every type is offered in every zone at its price."""
    return {
        "format": "rombel-fit-problem/1",
        "currency": "EUR",
        "zones": list(zones),
        "resources": list(resources),
        "instance_types": [
            {
                "name": name,
                "allocatable": dict(zip(resources, room, strict=True)),
                "offers": [{"zone": zone, "purchase": "on-demand", "price_per_hour": price} for zone in zones],
            }
            for name, room, price in types
        ],
        "workloads": list(workloads),
        "survive": {"zone": survive},
        **more,
    }


def problem(*args: Any, **more: Any) -> FitProblem:
    """Return the problem that ``value`` states."""
    import json

    return read_problem(json.dumps(value(*args, **more)))


def items(counts: dict[tuple[int, ...], int], resources: Sequence[str] = ("x",)) -> list[dict[str, Any]]:
    """Return one workload for each size with its number of replicas."""
    return [
        {"name": f"w/{number}", "replicas": count, "request": dict(zip(resources, size, strict=True))}
        for number, (size, count) in enumerate(counts.items())
    ]


def random_value(seed: int, survive: str) -> dict[str, Any]:
    """Return a random small problem: two resources, two or three zones, one or two types, at most 7 replicas."""
    rng = random.Random(seed)
    zones = ["amber", "birch", "cedar"][: rng.choice((2, 3))]
    types = [
        (f"t{n}", (rng.randint(5, 12), rng.randint(5, 12)), f"{rng.randint(5, 30) / 10:.1f}")
        for n in range(rng.randint(1, 2))
    ]
    workloads, left = [], 7
    for number in range(rng.randint(1, 3)):
        replicas = rng.randint(1, max(1, min(3, left)))
        left -= replicas
        workloads.append(
            {
                "name": f"w/{number}",
                "replicas": replicas,
                "request": {"x": rng.randint(1, 5), "y": rng.randint(1, 5)},
                "most_per_node": rng.choice((None, None, 1)),
                "zone_skew": rng.choice((None, 1)),
            }
        )
    return value(types, workloads, zones, survive, ("x", "y"))
