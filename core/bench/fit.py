"""The fit on a small grid: cost above the floor, seconds, peak memory, and first fit decreasing on the best type.

Run with ``./rombel bench fit``.
"""

from __future__ import annotations

import resource
import time

from bench.instances import realistic
from rombel.fit import fit
from rombel.model.fit_problem import FitProblem
from rombel.plan import warm_up

GRID = ((20, 12, 12), (40, 20, 14), (60, 20, 30))


def first_fit_decreasing(problem: FitProblem) -> float | None:
    """Return the cost of the best single type with replicas placed largest first, zone by zone in turn (no promise)."""
    best = None
    for kind in problem.instance_types:
        prices = {offer.zone: float(offer.price_per_hour) for offer in kind.offers}
        room, nodes, cost = problem.usable(kind), [], 0.0
        for workload in sorted(problem.workloads, key=lambda w: -max(w.request[:2])):
            if any(asked > have for asked, have in zip(workload.request, room, strict=True)):
                cost = float("inf")
                break
            zones = sorted(prices)
            for number in range(workload.replicas):
                zone = zones[number % len(zones)]
                for place, free, held in nodes:
                    fits = all(asked <= have for asked, have in zip(workload.request, free, strict=True))
                    if place == zone and fits and (workload.most_per_node is None or workload.name not in held):
                        free[:] = [have - asked for asked, have in zip(workload.request, free, strict=True)]
                        held.add(workload.name)
                        break
                else:
                    free = [have - asked for asked, have in zip(workload.request, room, strict=True)]
                    nodes.append((zone, free, {workload.name}))
                    cost += prices[zone]
        best = cost if best is None else min(best, cost)
    return best


def main() -> None:
    """Print one line for each instance."""
    warm_up()
    print(
        f"{'classes':>7} {'types':>5} {'replicas':>8} {'survive':>8} {'cost/floor':>10} {'FFD/floor':>9} {'seconds':>7} {'MiB':>5}"
    )
    for classes, types, most in GRID:
        for survive in ("none", "standing", "landing"):
            problem = realistic(1, classes, types, 3, survive, most)
            started = time.perf_counter()
            solution = fit(problem)
            seconds = time.perf_counter() - started
            simple = first_fit_decreasing(problem) if survive == "none" else None
            ratio = f"{simple / float(solution.floor_per_hour):9.4f}" if simple else f"{'':>9}"
            peak = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss // 1024
            replicas = sum(entry.replicas for entry in problem.workloads)
            print(
                f"{classes:7d} {types:5d} {replicas:8d} {survive:>8} {1 + solution.gap:10.4f} {ratio} {seconds:7.2f} {peak:5d}"
            )


if __name__ == "__main__":
    main()
