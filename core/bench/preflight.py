"""How long pre-flight and address plans take: five hundred workloads on five hundred nodes, and twenty regions of five zones."""

from __future__ import annotations

import random
from decimal import Decimal
from ipaddress import ip_network
from time import perf_counter

from rombel.addressing import Addresses, RegionNeed, Used, ZoneNeed, address_plan
from rombel.model.demand import Budget, Demand, WorkloadKind
from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Purchase, Survival, Workload
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch
from rombel.model.pod import Amounts
from rombel.preflight import Situation, findings

WORKLOADS, NODES, TYPES, PER_NODE = 500, 500, 40, 40
REGIONS, ZONES, USED = 20, 5, 5000
GIB = 2**30


def situation(seed: int = 1) -> Situation:
    """Return many workloads with budgets on many nodes."""
    rng = random.Random(seed)
    rows = tuple(
        Demand(
            f"ns{n % 20}", f"w{n}", WorkloadKind.REPLICATED, 40, Amounts(500, GIB), budget=Budget(min_available="50%")
        )
        for n in range(WORKLOADS)
    )
    types = tuple(
        InstanceType(
            f"t{n}", (4000, 16 * GIB, 110), tuple(Offer(z, Purchase.ON_DEMAND, Decimal(1), NODES) for z in "abc")
        )
        for n in range(TYPES)
    )
    workloads = tuple(Workload(row.full_name, 40, (500, GIB, 1)) for row in rows)
    resources = ("cpu_millicores", "memory_bytes", "pods")
    problem = FitProblem("EUR", ("a", "b", "c"), resources, (10, 10, 1), types, workloads)
    nodes = tuple(
        NodeBatch(
            f"t{n % TYPES}",
            Purchase.ON_DEMAND,
            "abc"[n % 3],
            1,
            {rng.choice(rows).full_name: 1 for _ in range(PER_NODE)},
        )
        for n in range(NODES)
    )
    solution = FitSolution(FitStatus.FEASIBLE, "EUR", Decimal(1), Decimal(1), nodes)
    return Situation(rows=rows, problem=problem, solution=solution, survive=Survival.LANDING, zones=problem.zones)


def main() -> None:
    """Print how long each takes, once."""
    at = situation()
    start = perf_counter()
    found = findings(at)
    print(f"all rules, {WORKLOADS} workloads, {NODES} nodes: {perf_counter() - start:.3f} s, {len(found)} findings")
    need = RegionNeed(tuple(ZoneNeed(f"z{n}", 300, 500) for n in range(ZONES)), 110)
    start = perf_counter()
    for region in range(REGIONS):
        parents = (ip_network(f"{10 + region}.0.0.0/8"), ip_network("fd00::/48"))
        address_plan(Addresses(parents, public=True), need)
    print(f"{REGIONS} regions of {ZONES} zones, both families: {perf_counter() - start:.3f} s")
    rng = random.Random(2)
    used = tuple(Used(ip_network(((10 << 24) + (rng.randrange(1 << 16) << 8), 24))) for _ in range(USED))
    start = perf_counter()
    address_plan(Addresses((ip_network("10.0.0.0/8"),), used), need)
    print(f"one region around {USED} ranges in use: {perf_counter() - start:.3f} s")


if __name__ == "__main__":
    main()
