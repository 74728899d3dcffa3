"""How long rehearsals take, and how much memory: four weeks of sixty workloads, a week of five hundred; ratios over the number of weeks.

Run as ``./rombel bench rehearsal``. Figures are of one run on one machine; the ratios between rows are what lasts.
"""

from __future__ import annotations

import resource
import sys
import time
from dataclasses import dataclass
from decimal import Decimal

import numpy as np

from rombel.model.fit_problem import FitProblem, InstanceType, Offer, Purchase, Workload
from rombel.model.fit_solution import FitSolution, FitStatus, NodeBatch
from rombel.model.rehearsal import Load, PoolRange, Rehearsal, RehearsalParams, ReplicaScaling
from rombel.simulate.rehearsal import rehearse

ZONES = ("amber", "birch", "cedar")
STEP_S = 300
KEY = "tern-16", Purchase.ON_DEMAND


@dataclass(frozen=True, slots=True)
class Case:
    """A fleet and how long it is played; ``seconds`` is what is wanted."""

    workloads: int
    nodes: int
    days: int
    seconds: float | None = None


CASES = (Case(60, 60, 7), Case(60, 60, 14), Case(60, 60, 28, 5.0), Case(500, 500, 7, 20.0))


def fleet(case: Case) -> tuple[FitProblem, FitSolution, Rehearsal]:
    """Return an invented fleet: ten replicas a workload, half of them spread over zones, two swells a day with noise."""
    rng = np.random.default_rng(1)
    offers = tuple(Offer(zone, Purchase.ON_DEMAND, Decimal("0.8")) for zone in ZONES)
    workloads = tuple(
        Workload(
            f"w/{i}", 10, (int(rng.integers(300, 2000)), int(rng.integers(1, 8)), 1), zone_skew=1 if i % 2 else None
        )
        for i in range(case.workloads)
    )
    types = (InstanceType("tern-16", (16_000, 64, 110), offers),)
    problem = FitProblem("EUR", ZONES, ("cpu", "memory", "pods"), (0, 0, 0), types, workloads)
    nodes: list[dict[str, int]] = [{} for _ in range(case.nodes)]
    for i, workload in enumerate(workloads):
        for replica in range(workload.replicas):
            own = nodes[(10 * i + replica) % case.nodes]
            own[workload.name] = own.get(workload.name, 0) + 1
    batches = tuple(NodeBatch(*KEY, ZONES[n % 3], 1, own) for n, own in enumerate(nodes))
    solution = FitSolution(FitStatus.FEASIBLE, "EUR", Decimal("0.8") * case.nodes, Decimal(0), batches)
    steps = case.days * 86_400 // STEP_S
    hours = np.arange(steps) * STEP_S / 3600 % 24
    loads = []
    for workload in workloads:
        shape = 0.5 + 0.5 * np.exp(-(((hours - 12 + rng.uniform(-2, 2)) / 4) ** 2)) + rng.normal(0, 0.03, steps)
        loads.append(Load(workload.name, 1000, 700, np.rint(np.maximum(0, shape) * 7000).astype(np.int64)))
    limits = {(*KEY, zone): PoolRange(case.nodes // 10, case.nodes // 2) for zone in ZONES}
    scalings = {workload.name: ReplicaScaling(1, 30) for workload in workloads}
    params = RehearsalParams(node_start_p95_s=300, sample_s=3600)
    return problem, solution, Rehearsal(0, STEP_S, steps, tuple(loads), scalings, limits, params=params)


def main() -> int:
    """Print a row for each case; return 1 where one takes longer than is wanted."""
    late = False
    first_seconds = 0.0
    rehearse(*fleet(Case(3, 3, 1)))  # Compiled, or loaded, before anything is measured.
    print(
        f"{'workloads':>9} {'nodes':>6} {'days':>5} {'seconds':>8} {'wanted':>7} {'first s':>8} {'ratio':>6} {'MiB':>6} {'starts':>7}"
    )
    for case in CASES:
        problem, solution, rehearsal = fleet(case)
        told: list[float] = []
        begun = time.perf_counter()

        def on_progress(share: float, begun: float = begun, told: list[float] = told) -> bool:
            told.append(time.perf_counter() - begun)
            return False

        found = rehearse(problem, solution, rehearsal, seed=1, on_progress=on_progress)
        seconds = time.perf_counter() - begun
        first_seconds = first_seconds or seconds
        memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
        wanted = "" if case.seconds is None else f"{case.seconds:.0f}"
        print(
            f"{case.workloads:>9} {case.nodes:>6} {case.days:>5} {seconds:>8.2f} {wanted:>7} {told[0]:>8.2f} {seconds / first_seconds:>6.2f} "
            f"{memory:>6.0f} {found.started:>7}"
        )
        late = late or (case.seconds is not None and seconds > case.seconds)
    return int(late)


if __name__ == "__main__":
    sys.exit(main())
